"""The engineering: numbers in, numbers out. SI throughout.

Engineering shear strain. Ply axes 1 (fibre or warp), 2, 3; laminate axes x, y, z.
Ply 1 is the first laid and z grows towards the laying side.
"""
