"""One page for each way of working."""
