"""Bakes materials into maps: one look on one mesh, per prop and slot, and whole scenes into GLB files."""
