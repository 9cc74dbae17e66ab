"""The window: the only part of Jade Coat that knows Qt."""
