"""Part numbers: what a label with one in it says, in every situation that a technician meets."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime
from decimal import Decimal
from uuid import UUID

import pytest
from sqlalchemy import Engine

from umbrak.core.memory.label import decode_label
from umbrak.core.memory.module import Module
from umbrak.formats.documents import ModuleDoc, module_json
from umbrak.services.errors import NotAllowed, NotFound, Refused
from umbrak.services.evidence.trials import NewTrial, add_trial, trials_of
from umbrak.services.known.renumbered import tell_no_more, tell_part
from umbrak.services.machines.page import see_machine
from umbrak.services.parts.telling import NewWord
from umbrak.services.parts.understanding import read_occupants
from umbrak.services.parts.view import list_parts, see_beside, see_label, see_part
from umbrak.services.shelf.changing import NewOffer, NewStock, add_offer, add_stock
from umbrak.services.shelf.tables import take_table
from umbrak.services.shelf.view import StockState, see_shelf
from umbrak.services.surveys.by_hand import survey_by_hand
from umbrak.services.surveys.intake import take_in
from umbrak.store.accounts import Account
from umbrak.store.machines import machine_by_name_or_serial, summaries_of
from umbrak.store.trials import trials_of_parts

TODAY = datetime.now(UTC).date()


def module(label: str) -> Module:
    return decode_label(label).module


@pytest.fixture
def known(engine: Engine, technician: Account) -> None:
    """Numbers as they come to be known: by offers, what lies on the Shelf, trials, words of people."""
    for part, label, supplier in (
        ("KV-2208.A", "8GB 2Rx8 PC3L-12800E", "Orchard Parts"),  # one offer tells all
        ("KV-2216.B", "16GB 2Rx4 PC3L-12800R", "Orchard Parts"),  # two offers, other chips
        ("KV-2216.B", "16GB 4Rx8 PC3L-12800R", "Quay Trade"),
        ("KV 3308 C", "8GB 1Rx8 PC4-2400T-ED1", "Orchard Parts"),  # printed with spaces
    ):
        new = NewOffer(part=part, module=module(label), supplier=supplier, price=Decimal(50), priced_on=TODAY)
        add_offer(engine, technician, new)
    add_stock(engine, technician, NewStock(part="LUM-44", module=module("4GB PC3-10600E"), state=StockState.NEW))
    tell_part(engine, technician, NewWord(number="KV-2208.A", same="77-0912-01", source="both labels on one module"))
    add_trial(engine, technician, NewTrial(sheet_id="halvard-r24", outcome="fine", who="hearsay", tried_on=TODAY, part="TRY-900", module=module("16GB 1Rx8 PC5-4800B-RC0")))  # fmt: skip


#: What is typed -> (the module in words, what of it comes from its number, sentences of what does not go together, near numbers).
SITUATIONS: list[tuple[str, str, str, set[str], str, bool]] = [
    ("known, and nothing else typed", "KV-2208.A", "8 GB 2Rx8 DDR3L-1600 unbuffered ECC", {"capacity_gib", "rails_v"}, "", False),
    ("known, in other letters and without its spaces", "kv3308c", "8 GB 1Rx8 DDR4-2400 unbuffered ECC", {"capacity_gib"}, "", False),
    ("the other number of the same thing", "77-0912-01", "8 GB 2Rx8 DDR3L-1600 unbuffered ECC", {"capacity_gib", "rails_v"}, "", False),
    ("beside words of its label, which go first", "8GB PC3L-12800E KV-2208.A", "8 GB 2Rx8 DDR3L-1600 unbuffered ECC", {"package_ranks"}, "", False),
    ("behind P/N and with a serial", "P/N: KV-2208.A S/N 00123", "8 GB 2Rx8 DDR3L-1600 unbuffered ECC", {"capacity_gib"}, "", False),
    ("the same number with other chips", "KV-2216.B", "16 GB DDR3L-1600 registered", {"capacity_gib"}, "modules of the number KV-2216.B differ; ranks", False),
    ("the same, and the label tells which", "16GB 4Rx8 PC3L-12800R KV-2216.B", "16 GB 4Rx8 DDR3L-1600 registered", set(), "other modules of the number KV-2216.B differ", False),
    ("a label that no module of the number has", "4GB 1Rx8 PC3-10600E KV-2208.A", "4 GB 1Rx8 DDR3-1333 unbuffered ECC", set(), "size: 8 GB (offer of Orchard Parts", False),
    ("on a qualified list alone", "FJM5S-16NEW", "16 GB DDR5 unbuffered SO-DIMM", {"capacity_gib", "form"}, "", False),
    ("of a trial alone", "TRY-900", "16 GB 1Rx8 DDR5-4800 registered", {"capacity_gib"}, "", False),
    ("two parts at once", "KV-2208.A TRY-900", "module of unknown size", set(), "the numbers of several parts", False),
    ("behind a list's pattern stand other words", "FJM4T-8Z 16GB", "16 GB", set(), "size: 8 GB (listed for Fjell N4", False),
    ("two of a list's pattern", "FJM4T-8Z FJM4T-16A", "module of unknown size", set(), "the numbers of several parts", False),
    ("known, with its dashes left out", "kv2208a", "module of unknown size", set(), "", True),
    ("unknown, and nearly known", "KV-22", "module of unknown size", set(), "", True),
    ("unknown", "ZZ-000-17", "module of unknown size", set(), "", False),
]  # fmt: skip


def test_a_part_number_is_understood(engine: Engine, known: None) -> None:
    for situation, typed, words, by_number, wrong, near in SITUATIONS:
        told, part = see_label(engine, typed)
        assert told.module.short() == words, situation
        offered = {f.member for f in part.offered if len(f.values) == 1} if part else set()
        assert by_number <= offered and (by_number or not offered), (situation, offered)
        assert wrong in "; ".join(told.notes) if wrong else told.notes == (), (situation, told.notes)
        assert ("KV-2208.A" in told.near) == near, situation
        # At the bench such a number vouches for nothing: it does not say which of them it is.
        assert told.is_disputed == wrong.startswith("modules of the number"), situation
        # Every value that comes from a number says where from.
        assert all(v.source for f in (part.offered if part else ()) for v in f.values), situation


def test_a_number_is_understood_wherever_a_label_is(engine: Engine, known: None, technician: Account) -> None:
    # In tables, and in a report that somebody typed; the Shelf finds it by its other number.
    taken = take_table(engine, technician, "stock", b"module,count\nKV-2208.A,2\nZZ-000-17,1\n", keep=False)
    assert [(line.part, line.words) for line in taken.lines] == [("KV-2208.A", "8 GB 2Rx8 DDR3L-1600 unbuffered ECC")]
    assert [(e.row, e.column) for e in taken.errors] == [(3, "module")]
    reading = take_in(engine, technician, "typed", b"A1: KV-2208.A\nA2: 77-0912-01\n").reading
    assert [s.module.capacity_gib for s in reading.slots if s.module] == [8, 8]
    assert [o.part for o in see_shelf(engine, "77-0912-01").offers] == ["KV-2208.A"]
    # Said of a slot as text, as when it was typed without a connection.
    told = read_occupants(engine, {"A1": "77-0912-01", "A2": "16GB PC3L-12800R", "A3": None, "A4": "unknown"}, "slots")
    assert [getattr(told.get(s), "capacity_gib", None) for s in ("A1", "A2", "A3", "A4")] == [8, 16, None, None]
    with pytest.raises(Refused, match=r"“spoon” is no label text.*nor is it a part number") as refused:
        read_occupants(engine, {"A1": "KV-2208.A", "A2": "spoon"}, "slots")
    assert refused.value.field == "slots.A2"
    # On the Shelf by its number alone; with a label, that stays as it was told, and what differs is said.
    on_hand = add_stock(engine, technician, NewStock(part="KV-2208.A", module=Module())).stock
    assert next(s for s in on_hand if s.part == "KV-2208.A").module.rails_v == (1.35, 1.5)
    odd = take_table(engine, technician, "stock", b"module,count,part\n4GB 1Rx8 PC3-10600E,1,KV-2208.A\n", keep=False)
    assert "size: 8 GB (" in odd.lines[0].detail and odd.errors == ()


def test_what_is_fitted_is_told_of_by_its_number_and_says_so(engine: Engine, known: None, technician: Account) -> None:
    with engine.connect() as db:
        row = machine_by_name_or_serial(db, "hall-02", "")
    assert row
    machine = see_machine(engine, row.id)
    slot = machine.board.slots[0].id
    bare = Module(generation=module("8GB PC4-2400T").generation, capacity_gib=8, part="KV3308C")
    survey_by_hand(engine, technician, machine.id, machine.survey.revision, {slot: bare}, [])  # type: ignore[arg-type]
    held = see_machine(engine, machine.id)
    told = see_beside(engine, held.slots[slot])  # type: ignore[arg-type]
    assert told is not None and {f.member for f in told.offered} >= {"rate_mts", "package_ranks", "device_width", "ecc"}
    survey_by_hand(engine, technician, machine.id, held.survey.revision, {slot: told.all_taken}, [], by_part=True)  # type: ignore[arg-type]
    after = see_machine(engine, machine.id)
    assert after.slots[slot] == told.all_taken and after.survey.sources[slot].kind == "part"
    # What was taken from the number speaks for nothing: else a mistake would vouch for itself.
    assert [s.where for s in see_part(engine, "KV 3308 C").sightings] == ["offer of Orchard Parts"]


def test_what_was_taken_from_a_number_speaks_for_nothing_wherever_it_is_kept(
    engine: Engine, known: None, technician: Account
) -> None:
    """One offer says what KV 3308 C is. Who types the number alone has read the number, and nothing else."""
    told = see_label(engine, "KV3308C")[0].module
    labelled = see_label(engine, "16GB KV-2216.B")[0].module
    assert labelled.generation and not replace(labelled, **dict.fromkeys(labelled.by_number)).generation
    add_stock(engine, technician, NewStock(part="KV3308C", module=Module()))
    add_stock(engine, technician, NewStock(part="KV3308C", module=told))
    take_table(engine, technician, "stock", b"module,count\nKV3308C,2\n", keep=True)
    add_trial(engine, technician, NewTrial(sheet_id="halvard-r24", outcome="fine", who="hearsay", tried_on=TODAY, part="KV3308C", module=told))  # fmt: skip
    with pytest.raises(Refused, match="How large"):
        tell_part(engine, technician, NewWord(number="KV3308C", module=told, source="typed"))
    add_offer(engine, technician, NewOffer(part="KV3308C", module=told, supplier="Quay Trade", price=Decimal(9), priced_on=TODAY))  # fmt: skip
    with engine.connect() as db:
        row = machine_by_name_or_serial(db, "hall-02", "")
    assert row
    machine = see_machine(engine, row.id)
    first, second = (s.id for s in machine.board.slots[:2])
    typed = read_occupants(engine, {first: "KV3308C", second: "8GB 1Rx8 PC4-2400T-ED1 KV3308C"}, "slots")
    survey_by_hand(engine, technician, machine.id, machine.survey.revision, typed, [])
    part = see_part(engine, "KV3308C")
    # The offer, and the one module whose label was read.
    speaking = {s.where for s in part.sightings if s.module.generation}
    assert (
        speaking == {"offer of Orchard Parts", "read in hall-02"} and part.words == "8 GB 1Rx8 DDR4-2400 unbuffered ECC"
    )
    # An answer by somebody who looked is read; it is kept, though it says what the number said.
    held = see_machine(engine, machine.id)
    looked = ModuleDoc(**{**module_json(held.slots[first]), "by_number": None}).value()  # type: ignore[arg-type]
    survey_by_hand(engine, technician, machine.id, held.survey.revision, {first: looked}, [])
    assert sum(s.count for s in see_part(engine, "KV3308C").sightings if s.where == "read in hall-02") == 2


def test_what_is_told_is_checked_seen_and_taken_back(engine: Engine, known: None, technician: Account) -> None:
    def word(number: str, same: str | None = None, label: str | None = None) -> NewWord:
        return NewWord(number=number, same=same, module=module(label) if label else None, source="a list")

    for odd, field in (
        (word("KV-2208.A"), "same"),
        (word("KV-2208.A", "kv-2208.a"), "same"),
        (word("KV-2208.A", "77-0912-01"), "same"),
        (word("KV-2208.A", "KV 3308 C"), "same"),  # DDR3 is not DDR4, whoever says so
        (word("16GB", "KV-2208.A"), "number"),
        (word("NEW-100", label="PC3-10600E"), "module"),
        (word("NEW-100", label="16GB 1Rx8 PC2-5300F"), "module"),
    ):
        with pytest.raises(Refused) as refused:
            tell_part(engine, technician, odd)
        assert refused.value.field == field, odd
    with pytest.raises(NotAllowed):
        tell_part(engine, replace(technician, role="viewer"), word("NEW-100", "KV-2208.A"))

    tell_part(engine, technician, word("LUM-44", label="4GB 2Rx8 PC3-10600E"))
    part = see_part(engine, "lum-44")
    assert {f.member: len(f.said) for f in part.facts}["package_ranks"] == 1 and part.told[0].words.startswith(
        "4 GB 2Rx8"
    )
    tell_part(engine, technician, word("LUM-44", label="4GB 1Rx8 PC3-10600E"))
    assert next(line.disputed for line in list_parts(engine, "lum") if line.number == "LUM-44")[0].startswith("ranks: ")
    for told in see_part(engine, "LUM-44").told:
        tell_no_more(engine, technician, told.id)
    assert see_part(engine, "LUM-44").told == ()
    with pytest.raises(NotFound):
        see_part(engine, "ZZ-000-17")
    with pytest.raises(NotFound):
        tell_no_more(engine, technician, UUID(int=7))


def test_lists_and_trials_speak_of_every_number_of_a_thing(engine: Engine, known: None, technician: Account) -> None:
    with engine.connect() as db:
        gauge = machine_by_name_or_serial(db, "gauge-01", "")
    assert gauge

    def unlisted() -> list[str]:
        return [f.message for f in see_machine(engine, gauge.id).evaluation.findings if f.code == "risk.unlisted"]

    def listed() -> str:
        with engine.connect() as db:
            return str(summaries_of(db, [gauge.id])[gauge.id]["worst_message"])

    add_stock(engine, technician, NewStock(part="QQ-16-1", module=module("16GB 1Rx8 PC5-4800B-SC0")))
    machine = see_machine(engine, gauge.id)
    survey_by_hand(
        engine,
        technician,
        gauge.id,
        machine.survey.revision,
        {"B1": replace(module("16GB 1Rx8 PC5-4800B-SC0"), part="QQ-16-1")},
        [],
    )  # type: ignore[arg-type]
    assert "QQ-16-1 is not on" in unlisted()[0] and [s.listed_by for s in see_shelf(engine, "QQ-16-1").stock] == [()]
    # It is sold under the machine maker's number too: then the maker's list has it, and the machine is judged by that at once.
    word = NewWord(number="QQ-16-1", same="FJM5S-16X", source="both labels on one module")
    tell_part(engine, technician, word)
    assert unlisted() == [] and see_shelf(engine, "QQ-16-1").stock[0].listed_by == ("Fjell N2",)
    assert "list" not in listed()
    # Another size is another thing.
    with pytest.raises(Refused, match="not the same thing: size"):
        tell_part(engine, technician, replace(word, number="ZX5S-32"))

    tell_no_more(engine, technician, see_part(engine, "QQ-16-1").told[0].id)
    assert len(unlisted()) == 1
    with engine.connect() as db:
        rows = trials_of_parts(db, ["TRY-900"])
        tell_part(engine, technician, NewWord(number="TRY-900", same="TRIED-2", source="a list"))
        assert trials_of(db, rows)[0].is_of("tried-2") and not trials_of(db, rows)[0].is_of("tried-3")
