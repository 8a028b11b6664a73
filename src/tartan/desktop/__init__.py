"""The window: PyQt6 widgets, VTK scene, charts. Knows everything below, computes nothing."""
