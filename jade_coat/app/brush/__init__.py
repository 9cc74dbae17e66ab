"""Brush: strokes, fills, and where a prop's paint lies."""
