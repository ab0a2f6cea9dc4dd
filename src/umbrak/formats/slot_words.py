"""What words say of one slot: a module, that there is none, or that nobody knows; no guess is taken, nor what was or is to be."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace

from umbrak.core.memory.label import MAX_LABEL_LENGTH, decode_label
from umbrak.core.memory.label_reader import LabelReading
from umbrak.core.memory.module import Generation, Module, odd_size
from umbrak.core.platform.survey import SlotState
from umbrak.formats.documents import ReadLabel, label_oddities

#: No sentence about slots is longer.
MOST_SAID = 300
SIZE = r"\d{1,4}\s?[MG]i?B\b"
#: That there is no module.
NONE = (
    r"(?:empty(?: slot| socket)?|nothing|none|no (?:module|dimm|stick)|free|vacant|unpopulated|not (?:populated|fitted|occupied|installed|present)|absent|0 ?[GM]i?B|-+|—|"
    # What keeps the air going where no module is.
    r"(?:an? )?(?:blank(?:ing)?|filler|dummy)(?: (?:plate|module|card|dimm))?|"
    r"leer|frei|vide|libre|vac[ií]o|vuoto|leeg|tom|prázdn[ýá]|пусто)"
)
_EMPTY = re.compile(rf"(?:is |now |currently )*{NONE}(?: (?:in it|in there|there|here|fitted))?(?: now)?[.!]*", re.I)
#: Between what is said of a slot, one thing and another.
_BETWEEN = re.compile(r"\s*[,;()]\s*|\s+[-–—]+\s+")
#: That it was full once, and is not.
_EMPTIED = re.compile(rf"(?:now|currently|today)(?: is)? {NONE}\b|\b{NONE} now\b", re.I)
#: Nobody saw what is in it.
_UNTOLD = re.compile(
    r"(?:is )?(?:\?+|unknown|n/?a|hidden|illegible|unreadable|not (?:seen|read|known|told|readable|looked at|checked)|"
    r"(?:could|can)(?: ?not|n.t) (?:read|see|be (?:read|seen)).*|(?:no|nobody) idea.*)\.?",
    re.I,
)
#: A guess is not what is there.
_GUESSED = re.compile(
    r"\b(?:maybe|perhaps|probably|possibly|presumably|likely|seems|looks|guess(?:ed)?|assum(?:e|ed|ing)|i think|about|or)\b",
    re.I,
)
#: What was there, or is to be, is not either.
_ANOTHER_TIME = re.compile(
    r"\b(?:was|were|had|formerly|previously|before|removed|taken out|missing|gone|will(?: be)?|to be|should|planned|ordered|wanted|needs?|want|until|plan(?:s|ning)?|(?:to|will|would|could) (?:buy|order|get)|buying|would|going to|upgrad(?:e|ing) (?:to|with))\b|\bnot\s+(?:fitted|there|present)\b",
    re.I,
)
#: Words by which a module is no good.
SAYS_FAILED = re.compile(
    r"(?<!not )(?<!never )(?<!no longer )\b(?:failed|failing|dead|defect(?:ive)?|broken|faulty|kaputt|defekt|bad|disabled)\b|\bnot (?:detected|recogni[sz]ed|working)\b|\b(?:does|do)(?: not|n.t) (?:work|run)\b",
    re.I,
)
_STATES = {
    SlotState.FAILED: SAYS_FAILED,
    SlotState.SOLDERED: re.compile(r"(?<!not )\b(?:soldered|on[- ]?board)\b", re.I),
}


@dataclass(frozen=True, slots=True)
class SlotTold:
    """What words say of one slot."""

    state: SlotState
    module: Module | None = None
    #: What is to be said of it.
    said: tuple[str, ...] = ()
    #: Of how many modules the words are: "4 x 16 GB".
    count: int = 1


def read_slot(words: str, read_label: ReadLabel = decode_label, size_alone: bool = False) -> SlotTold | None:
    """What somebody wrote of a slot; None where it tells no module, and not that there is none.

    Parameters
        size_alone   whether "16 GB" tells a module
    """
    # What stands in other columns of one that is empty.
    words = re.sub(r"(?<=\w)(?:\s+[-—–])+$", "", re.sub(r"^[(\[](.*)[)\]]$", r"\1", words).strip())
    short = f"“{words[:60]}”"
    if _EMPTY.fullmatch(words):
        return SlotTold(SlotState.EMPTY)
    if _UNTOLD.fullmatch(words):
        return SlotTold(SlotState.UNKNOWN)
    guess = SlotTold(SlotState.UNKNOWN, None, (f"{short} is a guess: what is in it stays unknown",))
    bare = _GUESSED.sub("", words).strip(" .,?")
    if bare != words and _EMPTY.fullmatch(bare):
        return guess
    told = read_label(words[:MAX_LABEL_LENGTH])
    module, said = module_told(told, size_alone)
    if module is None:
        notes = _BETWEEN.split(words)
        empty = any(_EMPTY.fullmatch(n) for n in notes if any(map(str.isalnum, n)))
        # "empty (tab broken)", and not "empty, had 16 GB".
        otherwise = re.search(r"\d\s*[MG]i?B\b", words, re.I) or says_otherwise(words)
        return SlotTold(SlotState.EMPTY, None, (f"{short}: taken as empty",)) if empty and not otherwise else None
    left = " ".join(told.text[a:b] for a, b in told.not_understood)
    if _EMPTIED.search(words):
        return SlotTold(SlotState.EMPTY, None, (f"{short}: empty now",))
    if _GUESSED.search(left) or words.rstrip().endswith("?"):
        return guess
    if _ANOTHER_TIME.search(left):
        unsure = f"{short} may not be what is in it now: that stays unknown; write what is, or “empty”"
        return SlotTold(SlotState.UNKNOWN, None, (unsure,))
    if known := next((s for s, sign in _STATES.items() if sign.search(left)), None):
        return SlotTold(known, module, (f"{short}: taken as {known}",), told.kit or 1)
    return SlotTold(SlotState.FILLED, module, said, told.kit or 1)


def module_told(told: LabelReading, size_alone: bool = False) -> tuple[Module | None, tuple[str, ...]]:
    """A size alone may stand in any sentence; a module is told by its size and its generation."""
    m = told.module
    bare = size_alone and has_some_size(m)
    is_told = m.capacity_gib is not None and (m.generation is not None or bare)
    return (m, tuple(label_oddities(told, told.kit or 1))) if is_told else (None, ())


#: What is larger is a drive. [GiB]
_MOST = 1024


def has_some_size(module: Module) -> bool:
    """Whether its size, where it has one, is one that modules of its generation have, or of any where that is not told."""
    if not module.capacity_gib or module.generation:
        return odd_size(module) is None
    made = any(odd_size(replace(module, generation=g)) is None for g in Generation)
    return made and module.capacity_gib <= _MOST


def says_otherwise(words: str) -> bool:
    """Whether words say that something is a guess, or is no more or not yet there."""
    return bool(_GUESSED.search(words) or _ANOTHER_TIME.search(words))


def says_empty(words: str) -> bool:
    """Whether words say that there is no module: "empty", "not fitted", "-"."""
    return bool(_EMPTY.fullmatch(words.strip()))
