"""What is seen in a slot is of the slot's generation and form."""

from __future__ import annotations

from typing import Any

import pytest

from tests.core.sheets import SMALL, TWIN, merged
from umbrak.core.memory.module import Buffering, Form, Generation, Module
from umbrak.core.platform.machine import UNKNOWN
from umbrak.core.platform.survey import as_its_slot
from umbrak.formats.sheet.reading import sheet_from_data

SO = merged(SMALL, {"memory": {"form": "SO-DIMM"}})
D3, D4 = Generation.DDR3, Generation.DDR4


@pytest.mark.parametrize(
    ("sheet", "seen", "generation", "form"),
    [
        (TWIN, Module(capacity_gib=16), D4, Form.DIMM),
        (SO, Module(capacity_gib=8, generation=D3), D3, Form.SO_DIMM),
        # What somebody read goes before what the slot tells, and stays to be asked about.
        (TWIN, Module(capacity_gib=8, generation=D3), D3, Form.DIMM),
        (SMALL, Module(capacity_gib=8, form=Form.SO_DIMM), D3, Form.SO_DIMM),
        # What the slot tells cannot be true of it: it stays open.
        (SO, Module(capacity_gib=8, buffering=Buffering.REGISTERED), None, None),
        (TWIN, Module(capacity_gib=17), None, None),
    ],
)
def test_what_stands_in_a_slot_is_of_its_kind(
    sheet: Any, seen: Module, generation: Generation | None, form: Form | None
) -> None:
    found = as_its_slot(sheet_from_data(sheet), seen)
    assert isinstance(found, Module)
    assert (found.generation, found.form, found.capacity_gib) == (generation, form, seen.capacity_gib)
    assert as_its_slot(sheet_from_data(sheet), UNKNOWN) is UNKNOWN and as_its_slot(sheet_from_data(sheet), None) is None
