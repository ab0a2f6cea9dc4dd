"""What part numbers tell of members that an evaluation asks for."""

from __future__ import annotations

from collections.abc import Mapping

from sqlalchemy import Connection

from umbrak.core.evaluate import Evaluation
from umbrak.core.memory.module import Module
from umbrak.core.memory.parts import Part, key_of
from umbrak.core.platform.machine import Layout
from umbrak.core.rules.finding import Severity
from umbrak.services.parts.known import parts_of


def asked_parts(db: Connection, layout: Layout, judged: Evaluation) -> Mapping[str, Part]:
    """Key -> what is known of the parts in slots that something is asked of; nothing is looked up where nothing is asked."""
    slots = {n.rpartition(".")[0] for f in judged.findings if f.severity is Severity.ASK for n in f.needs}
    held = [x for s in sorted(slots) if isinstance(x := layout.get(s), Module)]
    return parts_of(db, sorted({key_of(m.part) for m in held if m.part}))
