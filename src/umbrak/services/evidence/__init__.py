"""What vouches for a machine beside its sheet: statements of how high it can go, and trials with the beliefs they make."""
