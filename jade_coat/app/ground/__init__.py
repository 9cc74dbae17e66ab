"""The Ground workspace: land is shaped, and layers are laid and painted on it."""
