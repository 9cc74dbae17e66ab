"""Grounds: heights, the weights of layers, and what follows from them."""
