"""Long work: what it reports to and is stopped through, and processes of its own."""
