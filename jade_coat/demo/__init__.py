"""The Saltglaze Terrace: the demo project, made from fixed seeds."""
