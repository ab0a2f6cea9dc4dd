"""Questions to answer first: what an evaluation asks, each with where to look and answers to press.

An answer is a fact, told by its need ("SLOT.member", "machine.member"); who keeps it gives it its source.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from math import ceil
from typing import Any

from umbrak.core.evaluate import Evaluation
from umbrak.core.memory.module import Form, Generation, Module, amount, member_words
from umbrak.core.memory.organised import SOLD_GIB
from umbrak.core.memory.parts import Part, beside, key_of
from umbrak.core.memory.rates import STANDARD_RATES_MTS
from umbrak.core.platform.fact import asked_of
from umbrak.core.platform.machine import Layout
from umbrak.core.platform.sheet import Sheet
from umbrak.core.rules.finding import Finding, Severity

#: The need that is told by "it runs with what is in it".
RUNS = "machine.runs"
#: Questions that are put at once: more would not be read.
_FIRST = 3


@dataclass(frozen=True, slots=True)
class Answer:
    """One answer to press, and the facts that it tells."""

    words: str
    facts: Mapping[str, Any]
    #: Where it is known from already, in words; "" = whoever answers sees it.
    source: str = ""


@dataclass(frozen=True, slots=True)
class Question:
    text: str
    #: Why it matters: the finding's own words.
    why: str
    #: The worst that it could hide.
    hides: Severity
    look_at: str
    slots: tuple[str, ...]
    needs: tuple[str, ...]
    answers: tuple[Answer, ...]
    #: The need whose value is typed, where nobody can list the answers.
    typed: str | None = None
    #: The fact of the sheet that is open, where it is one.
    of_sheet: str | None = None


def questions_of(
    sheet: Sheet,
    layout: Layout,
    evaluation: Evaluation,
    running: Evaluation | None = None,
    fitted: tuple[str, ...] = (),
) -> tuple[Question, ...]:
    """The first questions of an evaluation, those that could hide most first; one that is answered with another is left out.

    Of those that could hide as much, what can be seen at the machine goes before what the guide must tell.

    Parameters
        running   the same where it is known that the machine runs with what is in `fitted`; None where that is known
    """
    found: list[Question] = []
    if running and (runs := _whether_it_runs(sheet, evaluation, running, fitted)):
        found.append(runs)
    asked: set[str] = set()
    for finding in sorted(evaluation.findings, key=_urgency):
        if finding.severity is not Severity.ASK or set(finding.needs) <= asked:
            continue
        found.append(_question(sheet, layout, finding))
        asked |= set(finding.needs)
    return tuple(found[:_FIRST])


def offered(question: Question, layout: Layout, parts: Mapping[str, Part]) -> Question:
    """The question with what the part numbers of its modules answer, before what the eye would tell.

    Parameters
        parts   key of a part number (core.memory.parts) -> what is known of it
    """
    found: dict[tuple[str, str], dict[str, Any]] = {}
    for need in question.needs:
        slot, _, member = need.rpartition(".")
        held = layout.get(slot)
        part = parts.get(key_of(held.part)) if isinstance(held, Module) and held.part else None
        if not isinstance(held, Module) or part is None:
            continue
        told = beside(held, part)
        for said in (s for f in (*told.adds, *told.open) if f.member == member for s in f.said):
            value = list(said.value) if isinstance(said.value, tuple) else said.value
            found.setdefault((f"{said.words}, as {part.number}", said.source), {})[need] = value
    answers = (Answer(words, facts, source) for (words, source), facts in found.items())
    return replace(question, answers=(*answers, *question.answers)) if found else question


def _whether_it_runs(
    sheet: Sheet, evaluation: Evaluation, running: Evaluation, fitted: tuple[str, ...]
) -> Question | None:
    """Whether the machine runs with what is in it, where that would settle some of what is asked."""
    left = {f.code for f in running.findings if f.severity is Severity.ASK}
    # One of several facts that a finding asks for together may be settled: what it needs tells them apart.
    needs = {n for f in running.findings if f.severity is Severity.ASK for n in f.needs}
    asked = [f for f in evaluation.findings if f.severity is Severity.ASK]
    settled = [f for f in asked if f.code not in left or not set(f.needs) <= needs]
    if not settled:
        return None
    many = "a question hangs" if len(settled) == 1 else f"{len(settled)} questions hang"
    return Question(
        text="Does it run with what is in it now?",
        why=f"Nobody saw it run with what is in {_names(sheet, fitted)}, and {many} on that",
        hides=min((f.could_be or Severity.STOP for f in settled), key=lambda s: s.rank),
        look_at="its boot screen or its system: it starts, and shows all of its memory",
        slots=fitted,
        needs=(RUNS,),
        answers=(Answer("Yes, with all of it", {RUNS: True}),),
    )


def _urgency(f: Finding) -> tuple[int, bool]:
    return (f.could_be or Severity.STOP).rank, any(n.startswith("sheet.") for n in f.needs)


def _question(sheet: Sheet, layout: Layout, f: Finding) -> Question:
    def asked(text: str, look: str, *answers: Answer, typed: str | None = None, fact: str | None = None) -> Question:
        return Question(
            text=text,
            why=f.message,
            hides=f.could_be or Severity.STOP,
            look_at=look,
            slots=f.slots,
            needs=f.needs,
            answers=answers,
            typed=typed,
            of_sheet=fact,
        )

    need = f.needs[0] if f.needs else ""
    if need.startswith("machine."):
        return asked(*_of_machine(sheet, need), typed=need if _is_typed(need) else None)
    if need.startswith("sheet."):
        fact = need.removeprefix("sheet.")
        about = asked_of(fact)
        if about:
            return asked(f"{about.what[:1].upper()}{about.what[1:]}?", about.where, fact=fact)
        return asked(
            "What does the maker's guide say of it?", "the guide, where it tells the rules for memory", fact=fact
        )
    slot, _, member = need.rpartition(".")
    held = layout.get(slot)
    names = _names(sheet, f.slots)
    if isinstance(held, Module) and (text := _of_member(member, held)):
        needs = [n for n in f.needs if n.rpartition(".")[2] == member]
        return asked(text[0].format(names=names), text[1], *(Answer(w, dict.fromkeys(needs, v)) for w, v in text[2]))
    what = "What is in" if not slot else f"What is the {member_words(member)} of"
    return asked(f"{what} {names}?", "its label, or what the machine reports of it")


def _names(sheet: Sheet, slots: tuple[str, ...]) -> str:
    printed = [sheet.slots[s].printed if s in sheet.slots else s for s in slots]
    return ", ".join(printed[:3]) + (f" and {len(printed) - 3} more" if len(printed) > 3 else "")


def _is_typed(need: str) -> bool:
    return need.removeprefix("machine.") in ("firmware", "system", "device_hole_mib", "os_cap_gib")


def _of_machine(sheet: Sheet, need: str) -> Iterator[Any]:
    """(question, where to look, answers) of a fact of the machine, to be taken apart."""
    fact = need.removeprefix("machine.")
    if fact.startswith("processors."):
        socket = fact.removeprefix("processors.")
        about = sheet.sockets[socket]
        yield f"Which processor is in {socket}?"
        yield "the boot screen; the label on its lid"
        yield from (Answer(sheet.processors[p].title, {need: p}) for p in about.processors)
        if about.may_be_absent:
            yield Answer("none", {need: None})
    elif fact == "rail_setting":
        yield "Which memory voltage is set?"
        yield "the firmware's memory settings"
        for volts in sorted({v for d in sheet.memory.rail_domains for v in d.rails_v}):
            yield Answer(f"{volts:g} V", {need: volts})
    elif fact == "os_bits":
        yield "Is the operating system of 32 or of 64 bits?"
        yield "its own system page"
        yield from (Answer(f"{bits} bits", {need: bits}) for bits in (64, 32))
    elif fact in ("firmware", "system"):
        yield f"Which version of the {fact} runs?"
        yield "the boot screen; the machine's own system page"
    else:
        yield {"device_hole_mib": "How many MB lie under the devices?"}.get(
            fact, f"What is its {fact.replace('_', ' ')}?"
        )
        yield "the firmware's memory map; what the system counts as reserved"


def _of_member(member: str, module: Module) -> tuple[str, str, list[tuple[str, Any]]] | None:
    """(question, where to look, [(words, value)]) of a member that the eye can tell; None of any other."""
    label = "its label"
    match member:
        case "capacity_gib" if module.generation:
            look = f"{label}: the number before GB; the size that its system lists for the slot"
            return (
                "How large is the module in {names}?",
                look,
                [(f"{amount(gib)} GB", gib) for gib in SOLD_GIB[module.generation]],
            )
        case "ecc":
            with_, without = _chips(module, True), _chips(module, False)
            look = "count the memory chips of one module, both sides (a small one in the middle is no memory)"
            return (
                "Has the module in {names} ECC?",
                look,
                [(f"{without} chips: no", False), (f"{with_} chips: yes", True)],
            )
        case "rails_v" if module.generation in (None, Generation.DDR3):
            look = f"{label}: an L behind PC3 or DDR3 is low voltage"
            return (
                "At which volts does the module in {names} run?",
                look,
                [("PC3L: 1.35 and 1.5 V", [1.35, 1.5]), ("PC3: 1.5 V only", [1.5])],
            )
        case "package_ranks":
            return (
                "How many ranks has the module in {names}?",
                f"{label}: 1R, 2R or 4R before the x",
                [(f"{n}R", n) for n in (1, 2, 4)],
            )
        case "device_width":
            return "How wide are the chips in {names}?", f"{label}: behind the R", [(f"x{n}", n) for n in (4, 8, 16)]
        case "form":
            look = "its length: a DIMM is 133 mm long, an SO-DIMM about 68"
            return (
                "Of which form is the module in {names}?",
                look,
                [(str(f), str(f)) for f in (Form.DIMM, Form.SO_DIMM)],
            )
        case "generation":
            return "Of which generation is the module in {names}?", label, [(str(g), str(g)) for g in Generation]
        case "buffering":
            kinds = [
                ("unbuffered (U, E)", "unbuffered"),
                ("registered (R)", "registered"),
                ("load-reduced (L)", "load-reduced"),
            ]
            return "Of which kind is the module in {names}?", f"{label}: the letter behind the rate", kinds
        case "rate_mts" if module.generation:
            return (
                "At which rate is the module in {names} rated?",
                label,
                [(f"{n} MT/s", n) for n in STANDARD_RATES_MTS[module.generation][-5:]],
            )
        case "height_mm":
            return (
                "How tall is the module in {names}?",
                "hold a rule beside it",
                [("as tall as others: 30 mm", 30.0), ("about 40 mm", 40.0), ("about 50 mm", 50.0)],
            )
    return None


def _chips(module: Module, ecc: bool) -> str:
    """How many chips a module has with or without ECC; "8 or 16" where its ranks or width are not known.

    `packages = package_ranks * (64 + ECC bits) / device_width`, of DDR5 `2 * ranks * ceil((32 + ECC bits) / width)`.
    """
    ranks = [module.package_ranks] if module.package_ranks else [1, 2]
    width = module.device_width or 8
    if module.generation is Generation.DDR5:
        counts = [2 * r * ceil((32 + (8 if ecc else 0)) / width) for r in ranks]
    else:
        counts = [ceil(r * (72 if ecc else 64) / width) for r in ranks]
    return " or ".join(map(str, counts))
