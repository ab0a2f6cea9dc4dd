"""A sheet as the questions that a maker's guide answers, in its order; and an answer written into the sheet's text.

Questions and text are one document: a question's value is what stands at its place, and an answer is a splice at that
place, so that comments and every other line stay as they were.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from copy import deepcopy
from dataclasses import dataclass
from fnmatch import fnmatchcase
from functools import cache
from itertools import takewhile
from typing import Any, Literal

from umbrak.core.platform.fact import Asked, State, asked_of
from umbrak.core.platform.sheet import Sheet
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.sheet.lint import open_facts
from umbrak.formats.sheet.references import Naming
from umbrak.formats.sheet.shapes import Shape, names_at, shape_of
from umbrak.formats.sheet.writing import slug
from umbrak.formats.yaml_splice import rewritten, same
from umbrak.formats.yaml_text import Document, Path, dotted, load_yaml

SECTIONS = (
    "What it is",
    "Processors",
    "Slots and channels",
    "What memory it takes",
    "Totals",
    "Order",
    "Speeds",
    "Opening it",
    "Drives and numbering",
    "What it shows afterwards",
)  # fmt: skip

#: Where an answer is given by touching the board.
OnBoard = Literal["", "channels", "order", "slots"]


@dataclass(frozen=True, slots=True)
class Ask:
    """What is asked at one kind of place."""

    #: The place, "*" for any name: "processors.*.rate_table".
    id: str
    section: int
    words: str
    shape: Shape
    #: What is said beside it for who does not know.
    hint: str = ""
    board: OnBoard = ""


#: Place, section (from 1), words, hint. A place that begins with "@" stands in the sheet itself and in each of its
#: repeated blocks; one that begins with "slot:" is asked of every slot of such a block at once.
_ASKED: tuple[tuple[str, int, str, str], ...] = (
    ("title", 1, "What is it called, as the plate says?", ""),
    ("maker", 1, "Who makes it?", ""),
    ("class", 1, "What is it?", ""),
    ("models", 1, "What else do reports and people call it?", "A name here leads to this sheet."),
    ("sources", 1, "Which guides and data sheets tell of it?", "Every rule below names one of them, with its clause."),
    ("notes", 1, "What should one know before all else?", ""),
    ("processors", 2, "Which processors may it hold?", ""),
    ("sockets", 2, "What may each socket hold?", ""),
    ("@over", 3, "Which sockets or carriers are built alike?", "What follows is said once and holds for each."),
    ("@name", 3, "How are their slots named?", "May hold {over}, {name} and {n}."),
    ("@channels", 3, "Which slots share a channel?", "Choose a channel, then touch its slots."),
    ("@controllers", 3, "Which channels share a controller?", ""),
    ("@interleave_ways", 3, "Over how many channels does it interleave?", ""),
    ("carriers", 3, "Which boards, risers or trays carry slots?", ""),
    ("slot:carrier", 3, "Which of them carries which slot?", ""),
    ("slot:printed", 3, "What is printed at each slot?", "May hold {socket}, {carrier}, {slot} and {n}."),
    ("slot:locators", 3, "Under which names do its own tables report them?", ""),
    ("slot:tab", 3, "What colour are the latch tabs?", "Choose a colour, then touch the slots that have it."),
    ("slot:position", 3, "Which slot of a channel is far from the processor?", ""),
    ("slot:landmark", 3, "Where is it for the eye?", "Third teal from the fans."),
    ("slot:facing", 3, "Which way does the module face?", ""),
    ("slot:behind", 3, "Which slots must be empty before one is reached?", ""),
    ("geometry", 3, "Where do they lie on the board?", "Left out, they are laid out."),
    ("memory.generation", 4, "Which generation?", ""),
    ("memory.form", 4, "Which form?", ""),
    ("memory.rails_v", 4, "Which rails does the board wire?", ""),
    ("memory.rail_policy", 4, "Which of them runs?", ""),
    ("memory.rail_domains", 4, "Are there several supplies?", ""),
    ("memory.accepts", 4, "Which kinds of module does it take?", ""),
    ("memory.refuses", 4, "Which does it refuse?", ""),
    ("memory.ecc_mixed", 4, "What becomes of ECC beside modules without?", ""),
    ("memory.never_together", 4, "Which must not stand together?", "In one line, kinds of which only one may be there."),
    ("memory.together_within", 4, "Within what?", ""),
    ("memory.package_ranks_per_channel", 4, "How many ranks does a channel drive?", ""),
    ("memory.load_reduced_counts_as", 4, "As how many ranks does a load-reduced module count?", ""),
    ("memory.modes", 4, "Which memory modes has it?", ""),
    ("memory.remaps_hole", 4, "Is memory below the 4 GB hole remapped?", ""),
    ("limits", 5, "How much does who vouch for?", "Each with its scope; release notes as limits of their own."),
    ("processors.*.limits", 5, "How much does the processor address?", ""),
    ("listed", 5, "Which parts are on a qualified list?", ""),
    ("@population", 6, "In which order are the slots filled?", "Touch them on the board, set by set."),
    ("processors.*.rates_mts", 7, "Which data rates can it run?", ""),
    ("processors.*.rate_table", 7, "What does it run at, by modules and ranks in a channel?", "The most specific line wins."),
    ("processors.*.faster_modules", 7, "What becomes of faster modules?", ""),
    ("processors.*.refuses_above_mts", 7, "Above which rate are modules refused?", ""),
    ("rate_alike", 7, "Must all sockets run alike?", ""),
    ("rate_cap_mts", 7, "Does the board itself cap the rate?", ""),
    ("access", 8, "How are slots reached?", "Each way with its steps, out and back."),
    ("slot:access", 8, "Which way leads to which slot?", ""),
    ("slot:clearance_mm", 8, "How much room is above each slot?", ""),
    ("bays", 9, "How are the drive bays laid out and numbered?", ""),
    ("starts", 9, "Does it start open, and without its drives?", ""),
    ("reserve", 10, "How much memory does it keep for itself?", ""),
    ("first_boot", 10, "How long may a first start take?", ""),
    ("memory_test", 10, "How is its memory tested?", ""),
    ("reports", 10, "Where does it show its memory?", ""),
    ("lights", 10, "What do its lights tell?", ""),
    ("slot:light", 10, "What lights when a module is at fault?", ""),
    ("allocation", 10, "How is memory given to one workload?", ""),
    ("os_notes", 10, "What do operating systems do with it?", ""),
)  # fmt: skip

#: Members of a block that are asked here; what else it has is asked elsewhere and stays.
_ONLY: dict[str, tuple[str, ...]] = {"processors": ("title",)}
#: Blocks whose source holds for what is asked within them.
_SOURCED = (("processors", "*"), ("memory",), ("repeat",), ("repeat", "*"), ("memory_test",), ("allocation",))


@cache
def asks() -> dict[str, Ask]:
    """Every kind of question, by its id, in order."""
    found = {}
    for place, section, words, hint in _ASKED:
        board: OnBoard = ""
        if place.startswith("slot:"):
            field = place.removeprefix("slot:")
            shape, board = Shape("named", of=shape_of("slots", "*", field)), "slots"
        else:
            path = place.removeprefix("@").split(".")
            shape = shape_of(*(["repeat", *path] if place in ("@over", "@name") else path))
            board = "channels" if place == "@channels" else "order" if place == "@population" else ""
        if only := _ONLY.get(place):
            assert shape.of is not None
            fields = tuple(f for f in shape.of.fields if f.name in only)
            shape = Shape("named", of=Shape("record", fields=fields))
        found[place] = Ask(id=place, section=section, words=words, shape=shape, hint=hint, board=board)
    return found


AnswerState = Literal["told", "none", "untold", "open", "left"]


@dataclass(frozen=True, slots=True)
class SheetQuestion:
    """One question of one sheet, with what its text says now."""

    #: Its place in the text, unique in the sheet: "processors.tern.rate_table".
    key: str
    #: Id of the kind of question.
    ask: str
    #: What it is about, where the sheet has several: a processor, the sockets of a block.
    about: str
    #: left: the text says nothing of it, and nothing hangs on it.
    state: AnswerState
    #: As it stands in the text; beside a fact that is not told, what ran.
    value: Any
    #: What its writer said beside "open" or "untold"; when somebody looked.
    words: str
    looked: str
    #: Facts of it that are open, worst first.
    open: tuple[Asked, ...]
    #: Of the block that it stands in: whether that has a source, which, and where in it.
    sourced: bool
    source: str | None
    clause: str | None
    line: int | None


@dataclass(frozen=True, slots=True)
class _At:
    """Where a question's answer stands."""

    ask: Ask
    path: Path
    about: str
    #: Of a question about each slot: its field.
    field: str = ""


def questions_of(document: Document, sheet: Sheet | None) -> list[SheetQuestion]:
    """Every question of a sheet's text, in order.

    Parameters
        document   as far as it could be read; fields may be wrong
        sheet      what it comes to; None where it has errors: what is left out then counts as open where it is a fact
    """
    data = document.data if isinstance(document.data, dict) else {}
    facts = open_facts(sheet) if sheet else []
    unsaid = sheet.unsaid if sheet else {}
    places = list(_places(data))
    keys = [_key(at) for at in places]
    open_: dict[str, list[Asked]] = {}
    for fact in facts:
        if (asked := asked_of(fact)) and (key := question_at(keys, fact)):
            open_.setdefault(key, []).append(asked)
    found = []
    for at, key in zip(places, keys, strict=True):
        given = _value(data, at)
        state, value, words, looked = _said(given, at.ask.shape)
        missing = unsaid.get(".".join(map(str, at.path)))
        if state == "left" and missing and missing.state is State.UNTOLD:
            state = "untold"
        hidden = tuple(open_.get(key, ()))
        if state == "left" and not sheet and asked_of(".".join(map(str, at.path))):
            hidden = tuple(a for a in (asked_of(".".join(map(str, at.path))),) if a)
        if state == "left" and hidden:
            state = "open"
        block = _block(at.path)
        held = _get(data, block) if block else None
        held = held if isinstance(held, dict) else {}
        stood = document.places.get(at.path)
        found.append(
            SheetQuestion(
                key=key,
                ask=at.ask.id,
                about=at.about,
                state=state,
                value=value,
                words=words,
                looked=looked,
                open=hidden,
                sourced=block is not None,
                source=_text(held.get("source")),
                clause=_text(held.get("clause")),
                line=stood[0] if stood else None,
            )
        )
    return found


def question_at(keys: list[str], path: str) -> str | None:
    """The question that a place of the text belongs to, of the nearest one; None where none is asked there."""
    parts = [p for p in path.replace("[", ".").replace("]", "").split(".") if p]
    if "slots" in parts[:3] and len(parts) > parts.index("slots") + 2:
        cut = parts.index("slots") + 1
        parts = [*parts[:cut], parts[-1]]
    best, nearest = (0, 0), None
    for key in keys:
        own = [p for p in key.replace("[", ".").replace("]", "").split(".") if p]
        shared = sum(1 for _ in takewhile(lambda pair: pair[0] == pair[1], zip(own, parts, strict=False)))
        # The question whose place it is in; else the first in the same block, which has its source.
        if shared and (shared, shared == len(own)) > best:
            best, nearest = (shared, shared == len(own)), key
    # An order that is nowhere is asked where the sheet says how its sockets are built.
    return nearest or next((k for k in keys if parts and k.endswith(f".{parts[0]}")), None)


def _places(data: Mapping[str, Any]) -> Iterator[_At]:
    blocks = list(_blocks(data))
    processors = data.get("processors")
    for ask in asks().values():
        if ask.id.startswith(("@", "slot:")):
            mark, _, name = ask.id.partition(":" if ":" in ask.id else "@")
            for path, about in blocks:
                if ask.id in ("@over", "@name") and not path:
                    continue
                # A sheet whose slots are all said in repeated blocks has none of its own.
                if (
                    not path
                    and len(blocks) > 1
                    and ask.id != "@population"
                    and not (data.get("channels") or (mark and data.get("slots")))
                ):
                    continue
                if mark:
                    yield _At(ask, (*path, "slots"), about, name)
                else:
                    yield _At(ask, (*path, name), about if path else ("the whole machine" if len(blocks) > 1 else ""))
        elif "*" in ask.id:
            field = ask.id.rsplit(".", 1)[-1]
            for p, said in (processors if isinstance(processors, dict) else {}).items():
                title = said.get("title") if isinstance(said, dict) else None
                yield _At(ask, ("processors", p, field), str(title or p))
        else:
            yield _At(ask, tuple(ask.id.split(".")), "")


def _blocks(data: Mapping[str, Any]) -> Iterator[tuple[Path, str]]:
    """Where channels and slots are said: in each repeated block, and in the sheet itself."""
    repeat = data.get("repeat")
    every = [(("repeat", i), r) for i, r in enumerate(repeat)] if isinstance(repeat, list) else [(("repeat",), repeat)]
    for path, block in every:
        if isinstance(block, dict):
            over = block.get("over")
            yield path, f"each of {', '.join(map(str, over))}" if isinstance(over, list) else ""
    yield (), ""


def _key(at: _At) -> str:
    return dotted((*at.path, at.field) if at.field else at.path)


def _get(data: Any, path: Path) -> Any:
    for step in path:
        if isinstance(data, dict):
            data = data.get(step)
        elif isinstance(data, list) and isinstance(step, int) and step < len(data):
            data = data[step]
        else:
            return None
    return data


def _value(data: Mapping[str, Any], at: _At) -> Any:
    given = _get(data, at.path)
    if at.field:
        return _slot_values(data, at)
    if (only := _ONLY.get(at.ask.id)) and isinstance(given, dict):
        return {n: {k: v for k, v in r.items() if k in only} if isinstance(r, dict) else {} for n, r in given.items()}
    return given


def _said(given: Any, shape: Shape) -> tuple[AnswerState, Any, str, str]:
    """(state, value or what ran, words, when looked) of what stands at a question's place."""
    if given is None or given in ({}, []):
        return ("none", None, "", "") if given == [] and "none" in shape.words else ("left", None, "", "")
    if given == "none" and "none" in shape.words:
        return "none", None, "", ""
    if given in ("open", "untold") and given in shape.words:
        return given, None, "", ""
    if isinstance(given, dict) and shape.words:
        for state in ("open", "untold"):
            if state in given and state in shape.words:
                return state, given.get("seen"), str(given[state]), str(given.get("looked") or "")
    return "told", given, "", ""


def _block(path: Path) -> Path | None:
    """The block whose source holds for a place."""
    for pattern in sorted(_SOURCED, key=len, reverse=True):
        head = path[: len(pattern)]
        if len(head) == len(pattern) and all(p in ("*", h) for p, h in zip(pattern, head, strict=True)):
            if pattern == ("repeat", "*") and not isinstance(path[1], int):
                continue
            if len(path) > len(pattern) or pattern in (("memory_test",), ("allocation",)):
                return head
    return None


def _text(value: Any) -> str | None:
    return None if value is None else str(value)


def board_names(data: Mapping[str, Any]) -> dict[str, dict[str, str]]:
    """For each block that says slots ("", "repeat", "repeat[0]"): slot of the board -> its name in the block."""
    found: dict[str, dict[str, str]] = {}
    for path, _ in _blocks(data):
        block = _get(data, path) if path else {}
        over = block.get("over") if path else [None]
        pattern = block.get("name") or "{over}.{name}" if path else "{name}"
        names = found.setdefault(dotted(path), {})
        for i, one in enumerate(over if isinstance(over, list) else []):
            naming = Naming(over=None if one is None else str(one), pattern=str(pattern), number=i + 1)
            names |= {naming.full(s): s for s in slots_in(data, path)}
    return found


# -- slots of a block -----------------------------------------------------------------------------------


def slots_in(data: Mapping[str, Any], block: Path) -> list[str]:
    """Names of the slots that a block says, by its channels."""
    channels = _get(data, (*block, "channels"))
    if isinstance(channels, dict) and isinstance(channels.get("seen"), dict):
        channels = channels["seen"]
    found: list[str] = []
    for each in channels.values() if isinstance(channels, dict) else ():
        names = each.get("slots") if isinstance(each, dict) else each
        found += [str(n) for n in names] if isinstance(names, list) else []
    return list(dict.fromkeys(found))


def _slot_values(data: Mapping[str, Any], at: _At) -> dict[str, Any]:
    """slot -> what its block says of the field, patterns followed; slots without are left out."""
    given = _get(data, at.path)
    found: dict[str, Any] = {}
    for slot in slots_in(data, at.path[:-1]):
        for key, said in given.items() if isinstance(given, dict) else ():
            if _matches(str(key), slot) and isinstance(said, dict) and at.field in said:
                found[slot] = said[at.field]
    return found


def _matches(key: str, slot: str) -> bool:
    return key == slot or bool(set("*?") & set(key) and fnmatchcase(slot, key))


def _with_slots(given: Any, slots: list[str], field: str, wanted: Mapping[str, Any]) -> dict[str, Any]:
    """A block's `slots`, saying `wanted` of a field: by the pattern where that says it for all that it means."""
    block: dict[str, Any] = deepcopy(given) if isinstance(given, dict) else {}

    def effective(slot: str) -> tuple[Any, str | None]:
        value, by = None, None
        for key, said in block.items():
            if _matches(key, slot) and isinstance(said, dict) and field in said:
                value, by = said[field], key
        return value, by

    for key in list(block):
        meant = [s for s in slots if _matches(key, s)]
        said = block[key]
        if not meant or not isinstance(said, dict) or field not in said:
            continue
        if all(effective(s)[1] != key or same(effective(s)[0], wanted.get(s)) for s in meant):
            continue
        values = [wanted.get(s) for s in meant if effective(s)[1] == key]
        if all(same(v, values[0]) for v in values):
            if values[0] is None:
                del said[field]
            else:
                said[field] = values[0]
        elif any(v is None for v in values):
            # A pattern cannot be taken back for one of its slots: it is told one by one.
            del said[field]
    for slot in slots:
        value, by = effective(slot)
        want = wanted.get(slot)
        if same(value, want):
            continue
        own = block.get(slot)
        if want is None:
            if by == slot:
                del block[slot][field]
            continue
        if isinstance(own, dict) and (by in (None, slot) or _last(block, slot, slots)):
            own[field] = want
        else:
            # A name that stands after the patterns has the last word.
            block[slot] = {**(block.pop(slot) if isinstance(own, dict) else {}), field: want}
    return {k: v for k, v in block.items() if v != {} or not isinstance(given, dict) or given.get(k) == {}}


def _last(block: Mapping[str, Any], slot: str, slots: list[str]) -> bool:
    """Whether no pattern after a slot's own name means it too."""
    names = list(block)
    return not any(_matches(k, slot) for k in names[names.index(slot) + 1 :])


def changed(text: str, edits: list[tuple[Path, Any]]) -> str:
    """The text with values set at places, and nothing else changed. Raises InputError as `answered`."""
    documents = load_yaml(text)
    if len(documents) != 1 or not isinstance(documents[0].data, dict):
        raise InputError("not-a-sheet", [Fault("a sheet is one block of fields that begins with umbrak-sheet: 1")])
    data: dict[str, Any] = deepcopy(documents[0].data)
    for path, value in edits:
        put_at(data, path, value)
    return rewritten(text, data, names_at)


# -- answers --------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class NewSource:
    """A guide or data sheet that the sheet does not name yet."""

    title: str
    kind: str
    date: str | None = None


@dataclass(frozen=True, slots=True)
class Answer:
    """What somebody answers to one question."""

    state: AnswerState
    #: When told: what is to stand there. When open or untold: what ran, where that is known.
    value: Any = None
    #: Beside open or untold: what, or where somebody looked; and when.
    words: str = ""
    looked: str = ""
    #: The source of the block that the question stands in, by its name; None: as it is.
    source: str | None = None
    new_source: NewSource | None = None
    clause: str | None = None


def answered(text: str, key: str, answer: Answer) -> str:
    """The text with one question answered: changed there and nowhere else.

    Raises
        InputError   no YAML, no such question, a state that it cannot have; a notation that only a person can change
    """
    documents = load_yaml(text)
    if len(documents) != 1 or not isinstance(documents[0].data, dict):
        raise InputError("not-a-sheet", [Fault("a sheet is one block of fields that begins with umbrak-sheet: 1")])
    data: dict[str, Any] = deepcopy(documents[0].data)
    at = next((p for p in _places(data) if _key(p) == key), None)
    if at is None:
        raise InputError("no-question", [Fault(f"the sheet asks nothing at {key}", path=key)])
    if at.field:
        if answer.state not in ("told", "left") or not isinstance(answer.value or {}, dict):
            raise InputError("no-answer", [Fault("say it of each slot, or leave it", path=key)])
        slots = slots_in(data, at.path[:-1])
        wanted = {k: v for k, v in (answer.value or {}).items() if v not in (None, "", [])}
        if odd := [k for k in wanted if k not in slots]:
            raise InputError("no-answer", [Fault(f"there is no slot {odd[0]}", path=key)])
        put_at(data, at.path, _with_slots(_get(data, at.path), slots, at.field, wanted) or None)
    else:
        put_at(data, at.path, _written(data, at, answer))
    _source(data, at, answer)
    return rewritten(text, data, names_at)


def _written(data: Mapping[str, Any], at: _At, answer: Answer) -> Any:
    """What is to stand at the place; None: nothing."""
    words = at.ask.shape.words
    match answer.state:
        case "left":
            return None
        case "told":
            if answer.value is None:
                raise InputError("no-answer", [Fault("say what it is, or leave it", path=_key(at))])
            given = _get(data, at.path)
            if (only := _ONLY.get(at.ask.id)) and isinstance(answer.value, dict):
                old = given if isinstance(given, dict) else {}
                return {
                    n: {**{k: v for k, v in (old.get(n) or {}).items() if k not in only}, **r}
                    for n, r in answer.value.items()
                }
            if at.ask.board == "channels":
                return _channels(given, answer.value)
            return answer.value
        case state if state not in words:
            raise InputError("no-answer", [Fault(f"it cannot be {state}: answer it, or leave it", path=_key(at))])
        case "none":
            return "none"
        case state:
            if answer.value is None and not answer.words and not answer.looked:
                return state
            beside = {"looked": answer.looked} if answer.looked and state == "untold" else {}
            seen = {} if answer.value is None else {"seen": answer.value}
            return {state: answer.words, **beside, **seen}


def _channels(given: Any, wanted: Any) -> Any:
    """Channels as they are to be, each in the notation in which it stood: a list of slots, or a block."""
    old = given if isinstance(given, dict) else {}
    old = old["seen"] if isinstance(old.get("seen"), dict) else old
    if not isinstance(wanted, dict):
        return wanted
    return {
        n: c["slots"] if isinstance(old.get(n, []), list) and isinstance(c, dict) and set(c) == {"slots"} else c
        for n, c in wanted.items()
    }


def _source(data: dict[str, Any], at: _At, answer: Answer) -> None:
    block = _block(at.path)
    name = answer.source
    if answer.new_source:
        new = answer.new_source
        sources = data.setdefault("sources", {})
        name = free = slug(new.title)[:40]
        n = 1
        while free in sources:
            n += 1
            free = f"{name}-{n}"
        name = free
        sources[name] = {"title": new.title, "kind": new.kind} | ({"date": new.date} if new.date else {})
    if block is None or not isinstance(_get(data, block), dict):
        return
    for field, said in (("source", name), ("clause", answer.clause)):
        if said is not None:
            put_at(data, (*block, field), said or None)


def put_at(data: dict[str, Any], path: Path, value: Any) -> None:
    """Sets what stands at a path, or takes it out; blocks on the way are made."""
    here: Any = data
    for step in path[:-1]:
        if isinstance(here, dict) and not isinstance(here.get(step), dict | list):
            if value is None:
                return
            here[step] = {}
        here = here[step]
    if value is not None:
        here[path[-1]] = value
    elif isinstance(here, dict):
        here.pop(path[-1], None)
