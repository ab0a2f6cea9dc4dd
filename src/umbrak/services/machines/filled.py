"""What part numbers tell of a machine's modules that is open there, of all slots together: to be taken at a press."""

from __future__ import annotations

from dataclasses import dataclass
from uuid import UUID

from sqlalchemy import Engine

from umbrak.core.memory.module import Module
from umbrak.core.memory.parts import beside, key_of
from umbrak.services.known.loading import load_machine
from umbrak.services.parts.known import parts_of
from umbrak.services.parts.view import FactToTake, of_part


@dataclass(frozen=True, slots=True)
class FilledModule:
    """Modules alike of one number, and what it tells of them that nothing contradicts."""

    number: str
    slots: tuple[str, ...]
    #: Each with one value.
    adds: tuple[FactToTake, ...]
    #: The module of each slot with them: serial numbers differ.
    modules: dict[str, Module]


def see_filled(engine: Engine, machine_id: UUID) -> list[FilledModule]:
    """Of each kind of module, in the order of the slots. Raises NotFound."""
    with engine.connect() as db:
        m = load_machine(db, machine_id)
        held = {s: x for s, x in m.layout.items() if isinstance(x, Module) and x.part}
        parts = parts_of(db, {key_of(x.part) for x in held.values() if x.part})
    found: dict[tuple[object, ...], FilledModule] = {}
    for slot, module in held.items():
        part = parts.get(key_of(module.part or ""))
        if part is None:
            continue
        told = of_part(module, part, beside(module, part))
        adds = tuple(f for f in told.offered if len(f.values) == 1)
        if adds:
            key = (part.number, *((f.member, f.values[0].words) for f in adds))
            before = found.get(key)
            found[key] = FilledModule(
                number=part.number,
                slots=(*(before.slots if before else ()), slot),
                adds=adds,
                modules={**(before.modules if before else {}), slot: told.all_taken},
            )
    return list(found.values())
