"""The trade itself: pure values and functions. No I/O, no database, no web, no time of day; a stopwatch only where a search is
given so many seconds (`routes`). Of other libraries NumPy and SciPy, in `evidence`, `routes` and `proof` (checked: tests/core/test_imports.py).

memory/    what a module is and what its label says
platform/  what a model of machine is, what a machine reports, what is known of one
seating    who sits where: sheet, machine and layout put together
solve      rails and rates, solved together
rules/     one family a file, one rule a function, one catalogue of codes
evaluate   ties them together: `evaluate(...) -> Evaluation`
targets, cures, questions, ceiling   what follows from evaluations
evidence/  what nobody vouches for: claims, beliefs, trouble
plan/      actions, arrangements, sizing        routes/    the optimiser
runsheet/  the steps of the work                proof/     whether it is right
"""
