"""What was entered of a run: how it is found, read in the order of arrival, and kept. What follows from it is said by proof and bench."""
