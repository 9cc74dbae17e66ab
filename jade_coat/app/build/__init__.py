"""Build: coats, their section, dials, finishes, recipes and maps."""
