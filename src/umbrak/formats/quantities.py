"""Quantities with their bounds: a form, a file and a script meet the same ones, since each is a type.

A bound is what the trade can mean: what lies outside is a slip of the keys, or cannot be reckoned with.
"""

from __future__ import annotations

import re
from datetime import date
from decimal import Decimal, InvalidOperation
from typing import Annotated, Any

from pydantic import BeforeValidator, Field, StringConstraints

MOST_MONEY = 10**9
#: Days of this trade.
FIRST_DAY, LAST_DAY = date(1980, 1, 1), date(2200, 1, 1)


def _as_money(given: Any) -> Any:
    """An amount from a number or its text: what is written is what is meant, so 9.95 is not a binary fraction."""
    if isinstance(given, bool) or not isinstance(given, int | float | str | Decimal):
        raise ValueError("an amount of money is a number")
    text = str(given).strip()
    try:
        amount = Decimal(text if len(text) <= 40 and "_" not in text else "none")
    except InvalidOperation as error:
        raise ValueError(f"“{text[:40]}” is no amount of money") from error
    if not amount.is_finite() or abs(amount) > MOST_MONEY:
        raise ValueError(f"“{str(given)[:40]}” is no amount of money up to {MOST_MONEY}")
    if amount != round(amount, 3):
        raise ValueError("an amount of money has three decimals at most")
    return amount


def _as_day(given: Any) -> Any:
    if isinstance(given, str):
        try:
            return date.fromisoformat(given)
        except ValueError as error:
            raise ValueError(f"“{given[:40]}” is no day; write it as 2026-03-01") from error
    return given


Money = Annotated[Decimal, BeforeValidator(_as_money), Field(ge=0)]
Day = Annotated[date, BeforeValidator(_as_day), Field(ge=FIRST_DAY, le=LAST_DAY)]
#: Modules in a kit; kits are bought whole.
KitSize = Annotated[int, Field(ge=1, le=1024)]
#: Modules of one line of the Shelf.
LineCount = Annotated[int, Field(ge=1, le=100_000)]
#: Modules that a supplier has; 0 = none left.
OnOffer = Annotated[int, Field(ge=0, le=100_000)]
LeadDays = Annotated[int, Field(ge=0, le=10_000)]
SoakDays = Annotated[float, Field(ge=0, le=36_500, allow_inf_nan=False)]
#: What a whole machine holds. [GiB]
TotalGib = Annotated[float, Field(gt=0, le=1 << 20, allow_inf_nan=False)]

Currency = Annotated[str, StringConstraints(pattern=r"^[A-Z]{3}$")]
#: What something costs, as far as it is only weighed.
Cost = Annotated[float, Field(ge=0, le=10**12, allow_inf_nan=False)]
BackupTiers = Annotated[int, Field(ge=0, le=9)]

_WHOLE = re.compile(r"[+-]?[0-9]{1,18}")
#: Between thousands, besides comma and point: spaces of every kind, apostrophes.
_APART = re.compile(r"(?<=[0-9])[ \u00a0\u2009\u202f'’](?=[0-9]{3}(?![0-9]))")
_PLAIN = re.compile(r"[+-]?[0-9]{1,18}(?:\.[0-9]{1,12})?")


def whole_number(text: str) -> int:
    """A whole number as a table writes it: digits alone. Raises ValueError.

    Examples
        >>> whole_number("12"), whole_number("-3")
        (12, -3)
    """
    if not _WHOLE.fullmatch(text):
        raise ValueError("is no whole number; write digits alone, such as 1234")
    return int(text)


def number(text: str) -> Decimal:
    """A number with comma or point. Raises ValueError, also for one that could be read in two ways.

    Of two different marks the last parts the decimals. A single mark before just three digits may part thousands or
    decimals, and is refused: a price a thousand times too high or low is worse than a question.

    Examples
        >>> number("9,95"), number("1.234,5"), number("1'234.50"), number("0.125"), number("1234,567")
        (Decimal('9.95'), Decimal('1234.5'), Decimal('1234.50'), Decimal('0.125'), Decimal('1234.567'))
        >>> number("1,234")
        Traceback (most recent call last):
        ...
        ValueError: may be 1234 or 1.234; write 1234, or 1.2340
    """
    plain = _APART.sub("", text)
    marks = [c for c in plain if c in ",."]
    if len(set(marks)) == 2 or len(marks) > 1:
        last = marks[-1] if len(set(marks)) == 2 else ""
        plain = _without_thousands(plain, "," if marks[0] == "," else ".")
        plain = plain.replace(last, ".") if last else plain
    elif marks:
        before, after = plain.split(marks[0])
        if len(after) == 3 and 1 <= len(before.lstrip("+-")) <= 3 and before.lstrip("+-0"):
            raise ValueError(f"may be {before}{after} or {before}.{after}; write {before}{after}, or {before}.{after}0")
        plain = plain.replace(marks[0], ".")
    if not _PLAIN.fullmatch(plain):
        raise ValueError("is no number; write it as 1234.50")
    return Decimal(plain)


def _without_thousands(text: str, mark: str) -> str:
    """The text without a mark that parts groups of three; as it is where it parts others, so that it is no number."""
    whole, _, rest = text.partition("." if mark == "," else ",")
    groups = whole.split(mark)
    sound = all(len(g) == 3 for g in groups[1:]) and 1 <= len(groups[0].lstrip("+-")) <= 3 and mark not in rest
    return text.replace(mark, "") if sound else f"{text}?"
