"""What a round may do with each machine: its routes, found once for all machines that are alike."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from uuid import UUID

from sqlalchemy import Connection

from umbrak.core.memory.module import Module, alike
from umbrak.core.platform.machine import Layout
from umbrak.core.rounds.ways import Kinds, Terms, Ways, fitted, onto, seconds_each
from umbrak.core.rounds.ways import ways_of as ways_of_problem
from umbrak.core.routes.problem import Wishes
from umbrak.formats.documents import like_key
from umbrak.services.known.judging import seen_running
from umbrak.services.known.loading import Loaded, sound_layout
from umbrak.services.rounds.asked import RoundAsked
from umbrak.services.routes.finding import problem_of


@dataclass(frozen=True)
class Wanted:
    """A machine that is to have more."""

    machine: Loaded
    need_gib: float


def ways_of(
    db: Connection,
    asked: RoundAsked,
    wanted: Sequence[Wanted],
    *,
    hour: float,
    kinds: Kinds,
    report: Callable[[int, int], None],
    stopped: Callable[[], bool],
) -> dict[UUID, Ways]:
    """Machine -> the routes that no other of it beats, those by what is bought and those by what the others of the round give up. Machines
    that were not looked at, since it was stopped, are left out.

    Parameters
        hour     what an hour of hands costs
        report   (kinds of machine looked at, of how many)
    """
    alike_machines: dict[object, list[Wanted]] = {}
    for w in wanted:
        alike_machines.setdefault(_likeness(w), []).append(w)
    held = (
        sum((fitted(sound_layout(w.machine)) for w in wanted), Counter[Module]())
        if asked.passing_on
        else Counter[Module]()
    )
    terms = Terms(
        kinds=kinds, hour=hour, soak_days=asked.soak_days, held=held, seconds=seconds_each(len(alike_machines))
    )
    found: dict[UUID, Ways] = {}
    for n, same in enumerate(alike_machines.values()):
        report(n, len(alike_machines))
        if stopped():
            break
        first = same[0]
        problem = replace(problem_of(db, first.machine, _wishes(asked, first)), layout=_anyone(first.machine))
        ways = ways_of_problem(problem, terms)
        for w in same:
            own = sound_layout(w.machine)
            found[w.machine.row.id] = replace(
                ways, ways=tuple(replace(way, goal=onto(own, way.goal)) for way in ways.ways)
            )
    return found


def _likeness(w: Wanted) -> object:
    m = w.machine
    layout = tuple(sorted((s, like_key(x) if isinstance(x, Module) else "?") for s, x in sound_layout(m).items()))
    own = tuple(sorted(s.id for s in m.statements))
    return m.row.sheet_hash, m.row.facts.model_dump_json(), layout, frozenset(seen_running(m)), w.need_gib, own


def _anyone(m: Loaded) -> Layout:
    """What is fitted without what only tells individuals apart."""
    return Layout({s: alike(x) if isinstance(x, Module) else x for s, x in sound_layout(m).items()})


def _wishes(asked: RoundAsked, w: Wanted) -> Wishes:
    return Wishes(
        usable_gib=w.need_gib,
        keep_warranty=asked.keep_warranty,
        third_party=asked.third_party,
        less_bandwidth=True,
    )
