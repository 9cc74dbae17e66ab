"""Controls that know numbers, colours and curves, and nothing of what they are for."""
