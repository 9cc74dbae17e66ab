"""Meshes: attributes, tangents, shapes, picking and painting."""
