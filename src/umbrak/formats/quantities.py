"""Quantities with their bounds: a form, a file and a script meet the same ones, since each is a type.

A bound is what the trade can mean: what lies outside is a slip of the keys, or cannot be reckoned with.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
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


_DAYS = re.compile(
    r"(?:(?:ca\.?|about|up to|bis zu|max\.?|within|in)\s*)?(?:(?P<from>\d{1,4})\s*(?:-|–|to|bis)\s*)?(?P<to>\d{1,4})\s*"
    r"(?:(?P<hours>h|hours?|stunden?)|(?P<weeks>w|wks?|weeks?|wochen?|semaines?|semanas?)|"
    r"(?P<months>months?|monate?|mois|mes(?:es)?)|(?P<working>working days?|business days?|werktagen?|arbeitstagen?|jours ouvr[ée]s)|"
    r"d|days?|tagen?|jours?|d[ií]as?)?\.?",
    re.I,
)


def days(text: str) -> int:
    """Days as shops write them, the later of two: a number alone, with its unit, or from one to another. Raises ValueError.

    Five working days are a week, a month has 31 days, and what takes hours takes a day at most for each 24 of them.

    Examples
        >>> days("3"), days("3 Tage"), days("1-2 weeks"), days("24 h"), days("5 working days")
        (3, 3, 14, 1, 7)
        >>> days("soon")
        Traceback (most recent call last):
        ...
        ValueError: is no number of days; write digits alone, such as 3
    """
    match = _DAYS.fullmatch(text.strip())
    if match is None:
        raise ValueError("is no number of days; write digits alone, such as 3")
    count = int(match["to"])
    if match["hours"]:
        return -(-count // 24)
    if match["working"]:
        return -(-count * 7 // 5)
    return count * (7 if match["weeks"] else 31 if match["months"] else 1)


_AT_HAND = re.compile(r"(?:yes|ja|oui|s[ií]|in stock|available|auf lager|lieferbar|en stock|disponible)\.?", re.I)


def is_at_hand(text: str) -> bool:
    """Whether that says no more than that there are some."""
    return bool(_AT_HAND.fullmatch(text.strip()))


_SOLD_OUT = re.compile(
    r"(?:no|nein|non|none|out of stock|sold out|not available|nicht (?:auf lager|lieferbar)|ausverkauft|[ée]puis[ée]|agotado)\.?",
    re.I,
)


def at_hand(text: str) -> int | None:
    """How many a shop has, at least; None where it has some and does not say how many. Raises ValueError.

    Examples
        >>> at_hand("12"), at_hand("> 10"), at_hand("10+"), at_hand("sold out"), at_hand("in stock")
        (12, 11, 10, 0, None)
    """
    bare = text.strip()
    if is_at_hand(bare):
        return None
    if _SOLD_OUT.fullmatch(bare):
        return 0
    more = bare.startswith(">") and not bare.startswith(">=")
    figures = re.sub(
        r"^(?:>=?|≥|min\.?|at least)\s*|\s*(?:\+|pcs?\.?|pieces?|st(?:ü|ue)ck|stk\.?|in stock|auf lager)$",
        "",
        bare,
        flags=re.I,
    )
    return whole_number(figures) + more


#: Signs of currencies -> whose they are; many countries call theirs a dollar or a crown.
_SIGNS: Mapping[str, tuple[str, ...]] = {
    "€": ("EUR",), "£": ("GBP",), "₹": ("INR",), "₩": ("KRW",), "zł": ("PLN",), "kč": ("CZK",), "fr": ("CHF",), "¥": ("JPY", "CNY"),
    "$": ("USD", "CAD", "AUD", "NZD", "SGD", "HKD", "TWD", "MXN"), "us$": ("USD",), "kr": ("SEK", "NOK", "DKK", "ISK"),
}  # fmt: skip
#: Codes and signs by which a price may say what money it is in, in lower case.
MONIES = frozenset(_SIGNS) | {code.lower() for codes in _SIGNS.values() for code in codes}


def money_of(name: str) -> tuple[str, ...]:
    """The codes of the money that the name of a column ends with; () where it ends with none.

    Examples
        >>> money_of("price (eur)"), money_of("price in £"), money_of("price")
        (('EUR',), ('GBP',), ())
    """
    last = re.split(r"[\s(\[]", name.casefold().rstrip(")] "))[-1]
    return _SIGNS.get(last, (last.upper(),)) if last in MONIES else ()


def price(text: str, currency: str) -> Decimal:
    """An amount of money as shops write it, with the currency's code or sign before or after it. Raises ValueError, also where
    the currency is another.

    Examples
        >>> price("€ 45,90", "EUR"), price("89.00 EUR", "EUR"), price("$12.50", "USD"), price("1'234.50", "CHF")
        (Decimal('45.90'), Decimal('89.00'), Decimal('12.50'), Decimal('1234.50'))
        >>> price("£3", "EUR")
        Traceback (most recent call last):
        ...
        ValueError: is in GBP, and prices here are in EUR
    """
    text = re.sub(r"(?<=\d)[.,][-–—]{1,2}(?=\s|$)", "", text)  # "310,-" is written of whole amounts
    match = re.fullmatch(
        r"([A-Za-z]{3}|[^\s\d.,+-]{1,3})?\s*([+-]?\d.*?)\s*([A-Za-z]{3}|[^\s\d.,+-]{1,3})?", text.strip()
    )
    if match is None or (match[1] and match[3]):
        return number(text)
    named = (match[1] or match[3] or "").casefold()
    if named and currency not in (whose := _SIGNS.get(named, (named.upper(),))):
        raise ValueError(f"is in {' or '.join(whose)}, and prices here are in {currency}")
    return number(match[2])
