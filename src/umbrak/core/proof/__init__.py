"""Proof: what the machine shows afterwards against the plan, over time, and the search for what is at fault."""
