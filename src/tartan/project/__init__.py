"""The document: one immutable Project, its history, files, samples and derived answers."""
