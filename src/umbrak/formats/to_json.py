"""Core values as JSON: the one shape that the command line and the API share."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import fields, is_dataclass
from decimal import Decimal
from enum import Enum
from functools import cache
from typing import TYPE_CHECKING, Any

from umbrak.core.memory.label import LabelReading

if TYPE_CHECKING:
    from umbrak.core.plan.actions import Action
    from umbrak.core.routes.answer import Answer, Route
    from umbrak.core.routes.material import Bought
    from umbrak.core.routes.weighing import Gives
    from umbrak.core.runsheet.step import RunSheet


def jsonable(value: Any) -> Any:
    """Dataclasses, enums and tuples as plain JSON values, field names kept; whole numbers without ".0"."""
    if isinstance(value, Enum):
        return value.value
    if isinstance(value, float):
        return int(value) if value.is_integer() else value
    if value is None or isinstance(value, str | int):
        return value
    if is_dataclass(value) and not isinstance(value, type):
        return {f.name: jsonable(getattr(value, f.name)) for f in fields(value)}
    if isinstance(value, Mapping):
        return {str(k): jsonable(v) for k, v in value.items()}
    return [jsonable(v) for v in value]


def compact(value: Any) -> Any:
    """As `jsonable`, without members that are None or empty: a third of the size, for what is kept by the thousand.

    What is left out has to be its member's default, so that the document reads back equal.
    """
    if isinstance(value, Enum):
        return value.value
    if value is None or isinstance(value, str | int | float):
        return value
    if isinstance(value, list | tuple):
        return [compact(v) for v in value]
    return {
        name: compact(v) for name in _members(value.__class__) if (v := getattr(value, name)) is not None and v != ()
    }


@cache
def _members(kind: Any) -> tuple[str, ...]:
    return tuple(f.name for f in fields(kind))


#: Members of a reading that only some kinds of source tell: left out where there is nothing in them.
_OPTIONAL = ("description", "installed_gib", "usable_gib", "used_gib", "drives", "virtual")


def reading_json(reading: object) -> dict[str, Any]:
    """What a file reports, with stable names (formats.md, `umbrak read --json`)."""
    document: dict[str, Any] = jsonable(reading)
    document = {k: v for k, v in document.items() if k not in _OPTIONAL or v}
    for slot in document.get("slots", []):
        if slot["health"] is None:
            del slot["health"]
    return document


def label_json(reading: LabelReading) -> dict[str, Any]:
    """A label's reading with stable names (formats.md, `umbrak label --json`)."""
    return {
        "text": reading.text,
        "module": jsonable(reading.module),
        "derived": list(reading.derived),
        "contradictions": list(reading.contradictions),
        "remarks": list(reading.remarks),
        "understood": [
            {"from": u.start, "to": u.end, "field": u.field, "value": jsonable(u.value)} for u in reading.understood
        ],
        "not_understood": [
            {"from": start, "to": end, "text": reading.text[start:end]} for start, end in reading.not_understood
        ],
        "kit": reading.kit,
    }


def actions_json(done: Iterable[Action]) -> list[dict[str, Any]]:
    return [{"do": a.do.value, "module": jsonable(a.module), "from": a.source, "to": a.target} for a in done]


def answer_json(answer: Answer, currency: str | None, *, assumed: bool, priced: bool) -> dict[str, Any]:
    """Routes with stable names (formats.md, `umbrak routes --json`). Money is text, so that no digit is lost.

    Parameters
        assumed   whether nobody offers what they are made of
        priced    whether it has a price; else no cost is told
    """
    routes = [route_json(r, answer.now, currency) for r in answer.routes]
    if not priced:
        for r in routes:
            r |= {"cost": None, "break_even": None, "names": [n for n in r["names"] if n != "cheapest"]}
            r["buy"] = [{**b, "price": None} for b in r["buy"]]
    return {
        "ended": answer.ended.value,
        "assumed": assumed,
        "routes": routes,
        "proved": answer.proved,
        "gap": answer.gap,
        "relax": [list(names) for names in answer.relax],
        "relax_proved": answer.relax_proved,
        "now": {
            "usable_gib": answer.now.usable_gib,
            "sustained_gbs": round(answer.now.sustained_gbs, 3) if answer.now.rates_told else None,
        },
        "slower": answer.slower,
        "gave_up": list(answer.gave_up),
        "left_out": list(answer.left_out),
    }


def route_json(route: Route, now: Gives, currency: str | None) -> dict[str, Any]:
    w, saving = route.weighed, route.against_official
    judged = w.evaluation
    fast = round(w.measures.sustained_gbs, 3) if judged.rates_told else None
    return {
        "slots": {s: jsonable(m) for s, m in w.layout.items()},
        "actions": actions_json(route.actions),
        "buy": [bought_json(b) for b in w.bought],
        "cost": money(w.cost),
        "currency": currency,
        "trouble": w.trouble.probability,
        "trouble_range": [route.range.low, route.range.high],
        "moved_most_by": route.range.most
        and {
            "by": route.range.most.by,
            "about": route.range.most.about,
            "trouble": route.range.most.trouble.probability,
        },
        "fails_early": w.trouble.early,
        "quirks": w.trouble.quirks,
        "doubts": [{"kind": b.doubt.kind.value, "words": b.doubt.words, "works": b.works} for b in w.trouble.beliefs],
        "expected_loss": round(w.trouble.expected_loss, 2),
        "break_even": saving
        and {
            "against": route.official,
            "saving": round(saving.saving, 2),
            "expected_loss": round(saving.expected_loss, 2),
            "trouble": saving.trouble,
            "worth_it": saving.worth_it,
            "runs": saving.runs,
            "eaten_by": saving.eaten_by and saving.eaten_by.outcome,
            "flips": route.flips,
        },
        "sustained_gbs": fast,
        "usable_gib": w.measures.usable_gib,
        "more_usable_gib": round(w.measures.usable_gib - now.usable_gib, 6),
        "more_sustained_gbs": round(fast - now.sustained_gbs, 3) if fast is not None and now.rates_told else None,
        "installed_gib": judged.installed_gib,
        "not_counted": judged.not_counted,
        "data_rate_mts": judged.data_rate_mts,
        "free_slots": w.measures.free_slots,
        "touches": w.measures.touches,
        "names": list(route.names),
        "verdict": judged.verdict.value,
        "in_warranty": route.in_warranty,
        "first_stage": None if route.first_stage is None else {s: jsonable(m) for s, m in route.first_stage.items()},
        "levers": jsonable(route.levers),
        "experiments": jsonable(route.experiments),
        "findings": [
            {"code": f.code, "severity": f.severity.value, "slots": list(f.slots), "message": f.message}
            for f in judged.findings
        ],
    }


def bought_json(b: Bought) -> dict[str, Any]:
    """What is bought or taken of one candidate: modules in whole kits, and what all of them cost."""
    return {
        "part": b.candidate.part,
        "from": b.candidate.origin.value,
        "count": b.modules,
        "kits": b.kits,
        "price": money(b.price),
        "lead_days": b.candidate.lead_days,
    }


def run_sheet_json(made: RunSheet) -> dict[str, Any]:
    """A run sheet with stable names (docs/command-line.md, `umbrak run-sheet --json`)."""
    return {
        "title": made.title,
        "stage": made.stage,
        "stages": made.stages,
        "hands_on": jsonable(made.hands_on),
        "down": jsonable(made.down),
        "steps": [
            {**jsonable(s), "action": next(iter(actions_json([s.action])), None) if s.action else None}
            for s in made.steps
        ],
    }


def money(amount: Decimal) -> str:
    """An amount as text with two decimals, or the third where there is one.

    Examples
        >>> money(Decimal("9.5")), money(Decimal("0.125"))
        ('9.50', '0.125')
    """
    return f"{amount:.3f}" if amount != round(amount, 2) else f"{amount:.2f}"
