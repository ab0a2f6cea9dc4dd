"""One file an area; each makes its `router`."""
