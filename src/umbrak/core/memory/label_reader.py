"""One run over a label's text: which pieces are understood, what they say together, what is left."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from typing import Any

from umbrak.core.memory.module import FIELD_NAMES, Generation, Module, against_itself, amount, complete, without_profile
from umbrak.core.memory.rates import RAILS_V


@dataclass(frozen=True, slots=True)
class Understood:
    """A piece of the text and the member it told: characters start to end (end not included)."""

    start: int
    end: int
    field: str
    value: Any


@dataclass(frozen=True, slots=True)
class LabelReading:
    """What a label's text came to."""

    text: str
    module: Module
    #: Members that the text did not say but that follow from what it said.
    derived: tuple[str, ...]
    #: Sentences: what in the text cannot all be true, or is no standard value.
    contradictions: tuple[str, ...]
    understood: tuple[Understood, ...]
    #: Pieces (start, end) that said nothing known.
    not_understood: tuple[tuple[int, int], ...]
    #: Modules in the kit, where the text names one ("2x8GB").
    kit: int | None = None
    #: Sentences: what of the text was read otherwise than it says, and why.
    remarks: tuple[str, ...] = ()


Said = Iterator[tuple[str, Any] | tuple[str, Any, str | int]]


#: Dashes and spaces as typesetting has them; each stands for one plain one, so that places in the text stay.
_PLAIN = {**dict.fromkeys((*range(0x2010, 0x2016), 0x2212, 0xFE63, 0xFF0D), "-"), 0xA0: " ", 0x2007: " ", 0x202F: " "}


class Reader:
    """One run over one text: who has taken which characters, and what was said."""

    def __init__(self, text: str) -> None:
        self.text = text.translate(_PLAIN)
        self.taken = [False] * len(text)
        self.said: dict[str, list[Understood]] = {}
        self.complaints: list[str] = []
        #: (that words deny something or leave it open, what they would say otherwise)
        self.denied: list[tuple[str, dict[str, Any]]] = []

    def offer(self, match: re.Match[str], handle: Callable[[Reader, re.Match[str]], Said]) -> None:
        start, end = match.span()
        if any(self.taken[start:end]):
            return
        said = list(handle(self, match))
        denied, doubted = _DENIED.search(self.text[:start]), _DOUBTED.match(self.text, end)
        # Whatever else is meant, it is not what the word alone would say.
        values = {n: v for n, v, *_ in said if n in _DENIABLE} if denied or doubted else {}
        if values and ("ecc", False) not in values.items():
            low, high = denied.start(1) if denied else start, doubted.end() if doubted else end
            what = "says what it is not" if denied else "leaves it open"
            self.denied.append((f"“{self.text[low:high].strip()}” {what}", values))
            self.taken[low:high] = [True] * (high - low)
            if doubted and "low_voltage" in values:
                self.said.setdefault("rails_untold", []).append(Understood(low, high, "rails_untold", True))
            return
        for name, value, *group in said:
            if name in _COUNTED and not value:
                self.complaints.append(
                    f"“{match[0].strip()}”: no module has that; {_FIELD_WORDS.get(name, name)} left unknown"
                )
                continue
            low, high = match.span(group[0]) if group else (start, end)
            self.said.setdefault(name, []).append(Understood(low, high, name, value))
            self.taken[low:high] = [True] * (high - low)
        if said and not any(len(s) > 2 for s in said):
            self.taken[start:end] = [True] * (end - start)

    def value(self, name: str) -> Any:
        """What the text has said so far of a member: None if nothing or two different things."""
        values = {u.value for u in self.said.get(name, ())}
        return values.pop() if len(values) == 1 else None

    def result(self, whole: str) -> LabelReading:
        known: dict[str, Any] = {}
        for name, pieces in self.said.items():
            values = sorted({p.value for p in pieces}, key=str)
            if name not in FIELD_NAMES:
                continue
            if name == "rails_v":
                known[name] = self._rails(pieces)
            elif name == "capacity_gib" and "kit_of" in self.said and not {"kit", "each"} & self.said.keys():
                self.complaints.append(
                    f"a kit of {self.value('kit_of')}: whether {_word(values[0])} GB is of each or of all it does not say; "
                    "write 2x8GB"
                )
            elif (
                name == "capacity_gib"
                and "kit_untold" in self.said
                and not {"kit", "kit_of", "each"} & self.said.keys()
            ):
                self.complaints.append(
                    "a kit: of how many modules it does not say; write 2x8GB, or 1x8GB for one module"
                )
            elif len(values) == 1:
                known[name] = values[0]
            elif name == "timing":
                known[name] = max(values, key=len)
            else:
                words = " and ".join(f"{_word(v)} (“{self._piece(pieces, v)}”)" for v in values)
                self.complaints.append(f"{_FIELD_WORDS.get(name, name)}: the text says {words}; left unknown")
        # The letter tells the rails, and that "PC3" stands without one. "DDR3" does not: people and firmware say it of DDR3L too.
        suffix = self.value("low_voltage") or ("" if "without_low_voltage" in self.said else None)
        sure = suffix is not None and "rails_untold" not in self.said
        if known.get("generation") is Generation.DDR3 and not known.get("rails_v") and sure:
            known["rails_v"] = RAILS_V[f"DDR3{suffix}"]
        if "without_rules" in self.said:
            known.pop("buffering", None)
        self.complaints += self._left_by_denials()
        said, profile = without_profile(Module(**known))
        module, derived = complete(said)
        letter = "low_voltage" if module.generation is Generation.DDR3 else None
        if "rails_v" in known and "rails_v" not in self.said and letter not in self.said:
            derived = tuple(n for n in FIELD_NAMES if n in {*derived, "rails_v"})
        wrong = [c.message for c in against_itself(module)]
        # The letter of low voltage tells the rails, and is underlined as what told them.
        told = [replace(u, field="rails_v", value=module.rails_v) if u.field == letter else u for u in self._all_said()]
        if profile:
            told = [u for u in told if u.field not in _OF_PROFILE or u.value == getattr(module, u.field)]
        understood = sorted(told, key=lambda u: (u.start, u.end, u.field))
        return LabelReading(
            text=whole,
            module=module,
            derived=derived,
            contradictions=(*self.complaints, *wrong),
            understood=tuple(u for u in understood if u.field not in _NO_MEMBERS),
            not_understood=tuple(self._left_over()),
            kit=self.value("kit") or self.value("kit_of"),
            remarks=(profile,) if profile else (),
        )

    def _left_by_denials(self) -> Iterator[str]:
        """Complaints about what a text says that it is not, where nothing else of it says what it is."""
        for words, values in self.denied:
            # "No RDIMM" denies the kind: it may be a DIMM all the same.
            names = [n for n in values if n != "form"] or list(values)
            untold = [n for n in names if self.value(n) in (None, values[n])]
            if untold:
                yield f"{words}; {_FIELD_WORDS.get(untold[0], untold[0])} left unknown"

    def _all_said(self) -> Iterator[Understood]:
        return (u for pieces in self.said.values() for u in pieces)

    def _piece(self, pieces: list[Understood], value: Any) -> str:
        piece = next(p for p in pieces if p.value == value)
        return self.text[piece.start : piece.end]

    def _rails(self, pieces: list[Understood]) -> tuple[float, ...]:
        """Volts said in the text; a low-voltage letter vouches for its whole set (DDR3L: 1.35 and 1.5)."""
        volts = {v for p in pieces for v in p.value}
        suffix = self.value("low_voltage")
        if self.value("generation") is Generation.DDR3 and suffix:
            sure = set(RAILS_V["DDR3" + suffix])
            if not volts <= sure:
                self.complaints.append(
                    f"DDR3{suffix} runs at {' or '.join(amount(v) for v in sorted(sure))} V; "
                    f"the text also says {', '.join(amount(v) for v in sorted(volts - sure))} V"
                )
            volts = sure
        return tuple(sorted(volts))

    def _left_over(self) -> Iterator[tuple[int, int]]:
        for word in re.finditer(r"[^\s,;|/()\[\]]+", self.text):
            start = word.start()
            for end in range(word.start(), word.end() + 1):
                if end == word.end() or self.taken[end]:
                    if any(c.isalnum() for c in self.text[start:end]):
                        yield start, end
                    start = end + 1


_FIELD_WORDS = {
    "capacity_gib": "capacity", "rate_mts": "data rate", "package_ranks": "ranks", "device_width": "device width",
    "ecc": "ECC", "buffering": "buffering", "form": "form", "ecc_bits": "ECC bits", "die_gbit": "die density", "stack_height": "stack height",
    "low_voltage": "low voltage",
}  # fmt: skip


#: What pieces say that is no member of a module.
_NO_MEMBERS = (
    "noise",
    "low_voltage",
    "revision_of_spd",
    "rails_untold",
    "without_low_voltage",
    "kit_of",
    "kit_untold",
    "each",
    "without_rules",
)

#: A word that denies what follows it, in the languages of the shops that ship to us.
NOT = r"(?:non?|not|un|without|w/o|ohne|nicht|keine?|sans|pas\s+de|senza|sin|zonder|geen|utan|uden|ikke|ej|bez|без|не)"
_DENIED = re.compile(rf"(?<![^\W_])({NOT}[\s-]*)$", re.I)
#: "Registered: no", "ECC?", "ECC: not known".
_DOUBTED = re.compile(
    r"\s?[:=]\s?(?:no(?:ne|t\s(?:known|told|sure|given|stated))?|nein|non|false|n/?a|unknown|unclear|yes/no|y/n|\?|-(?=[\s,;)]|$))(?![A-Za-z])|\s?\?",
    re.I,
)
#: Members of which there is always some.
_COUNTED = ("capacity_gib", "package_ranks", "die_gbit", "height_mm")
#: Members that are of its maker's own profile where its volts are.
_OF_PROFILE = ("rails_v", "rate_mts", "timing")
#: Members whose words may be denied.
_DENIABLE = ("ecc", "buffering", "form", "low_voltage")


def _word(value: Any) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    return amount(value) if isinstance(value, int | float) else str(value)
