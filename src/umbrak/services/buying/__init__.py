"""What to buy for plans."""
