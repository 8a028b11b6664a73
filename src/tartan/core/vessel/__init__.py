"""Cylinders under pressure, axial force, torque and temperature."""
