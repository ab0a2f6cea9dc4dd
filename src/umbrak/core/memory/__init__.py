"""Memory modules: value type, standard rates and rails, label text. Facts of the JEDEC standards."""
