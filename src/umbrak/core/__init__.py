"""The trade itself: pure values and functions, no I/O, no clock, no database, no web.

memory/    what a module is and what its label says
platform/  what a model of machine is: sheet, machine, layout, population
rules/     one family a file, one rule a function, one catalogue of codes
evaluate   ties them together: `evaluate(...) -> Evaluation`
"""
