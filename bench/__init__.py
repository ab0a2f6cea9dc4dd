"""Figures, each beside a baseline measured in the same run: `python -m bench`."""
