"""Who works here, what each may do, and what an installation sets for itself."""
