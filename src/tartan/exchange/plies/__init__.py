"""The ply layout as a file of its own, by geometry: written, read onto any mesh, taken over."""
