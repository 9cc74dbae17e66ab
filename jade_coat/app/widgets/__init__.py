"""The window's building blocks."""
