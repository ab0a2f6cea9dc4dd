"""Machines as a whole: making them, by hand or many at once, listing and showing them, bringing them under a newer sheet."""
