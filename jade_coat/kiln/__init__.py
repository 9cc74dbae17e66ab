"""The word kiln: words in, map sets out. A simulated stand-in for an outside service, behind its interface."""
