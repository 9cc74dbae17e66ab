"""Jade Coat: layered, parametric materials for game artists."""

__version__ = "0.1.0"
