"""What is asked of every sheet: the questions that a maker's guide answers, in its order, as places and words."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from typing import Literal

from umbrak.formats.sheet.shapes import Shape, shape_of

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
    ("starts", 9, "Does it start open, and without its drives? Do its lights show only then?", ""),
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
ONLY: dict[str, tuple[str, ...]] = {"processors": ("title",)}
#: Blocks whose source holds for what is asked within them.
SOURCED = (("processors", "*"), ("memory",), ("repeat",), ("repeat", "*"), ("memory_test",), ("allocation",))


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
        if only := ONLY.get(place):
            assert shape.of is not None
            fields = tuple(f for f in shape.of.fields if f.name in only)
            shape = Shape("named", of=Shape("record", fields=fields))
        found[place] = Ask(id=place, section=section, words=words, shape=shape, hint=hint, board=board)
    return found
