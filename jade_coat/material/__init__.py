"""Surfaces, coats, wheres and seams, the dials they expose, and the program they compile to."""
