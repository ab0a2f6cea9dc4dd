"""The run sheet: the work at the bench in ordered steps, for one machine, one plan and one stage of it."""
