"""Rules of the trade: one family a file, one rule a function.

finding    severities, findings, verdicts        catalogue  every code, and the register of rules
context    the questions that rules may ask      facts fit power kind limit speed order risk mode  the families

A rule is a generator of findings registered under its code with `@rule`. Importing this package
registers them all; nothing but `evaluate` runs them.
"""

from umbrak.core.rules import facts, fit, kind, limit, mode, order, power, risk, speed
from umbrak.core.rules.catalogue import CATALOGUE
from umbrak.core.rules.register import RULES

__all__ = ["CATALOGUE", "RULES", "facts", "fit", "kind", "limit", "mode", "order", "power", "risk", "speed"]
