"""Edits: named functions from project to project, each checked."""
