"""The library of sheets: keeping and showing them, their boards, and clauses that were put in doubt."""
