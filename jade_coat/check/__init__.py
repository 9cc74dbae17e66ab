"""Judges what is made: how much a picture repeats, and what a smaller texture loses."""
