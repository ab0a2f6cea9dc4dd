"""Work in the background."""
