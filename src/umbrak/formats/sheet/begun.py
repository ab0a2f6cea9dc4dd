"""Boards to begin answers from: those of common architectures, of a sheet, of a report."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence, Set
from dataclasses import dataclass
from typing import Any

from umbrak.core.platform.sheet import Channel, Sheet
from umbrak.core.platform.survey import SlotState, SurveyReading
from umbrak.formats.sheet.built import (
    MOST_CHANNELS,
    MOST_IN_CHANNEL,
    MOST_PROCESSORS,
    BoardAnswers,
    ChannelAnswer,
    StandName,
    names_of,
)
from umbrak.formats.sheet.left_out import ShownBoard, board_shown, told_as
from umbrak.formats.sheet.writing import names_once


@dataclass(frozen=True, slots=True)
class Preset:
    """A common architecture: the shape of a board to begin from. None of it is told of the machine at hand."""

    words: str
    answers: BoardAnswers


def _preset(words: str, *slots: int, soldered: bool = False, **more: Any) -> Preset:
    channels = [ChannelAnswer(slots=0, soldered=True)] if soldered else []
    return Preset(words, BoardAnswers(channels=[*channels, *(ChannelAnswer(slots=n) for n in slots)], **more))


PRESETS = (
    _preset("one slot", 1),
    _preset("soldered, 1", 1, soldered=True),
    _preset("2 x 1", 1, 1),
    _preset("2 x 2", 2, 2),
    _preset("3 x 2", 2, 2, 2),
    _preset("4 x 2", 2, 2, 2, 2),
    _preset("2 risers", 3, 3, 3, 3, stand="risers", carriers=2, printed="riser A slot 1"),
    _preset("2 sockets", *[2] * 6, processors=2),
    _preset("boards", *[2] * 8, processors=4, stand="memory boards", carriers=4, printed="board 1 slot 1"),
)


def answers_of(sheet: Sheet) -> BoardAnswers | None:
    """The board of a sheet as answers, to begin another like it; None where its processors are not alike.

    Nothing of it is told of the other machine: who says so is a guess, kinds are seen.
    """
    per_socket = [sheet.channels_of[s] for s in sheet.sockets]
    shapes = {tuple((len(c.slots), c.soldered is not None) for c in channels) for channels in per_socket}
    channels = per_socket[0]
    if len(shapes) != 1 or len(per_socket) > MOST_PROCESSORS or not 1 <= len(channels) <= MOST_CHANNELS:
        return None
    if any(len(c.slots) > MOST_IN_CHANNEL for c in channels):
        return None
    order = [s for of in per_socket for c in of for s in c.slots]
    carriers = list(dict.fromkeys(k for s in order if (k := sheet.slots[s].carrier)))
    words = " ".join(sheet.carriers[k].title for k in carriers).casefold()
    stand: StandName = (
        "main board"
        if not carriers
        else "risers"
        if "riser" in words
        else "tray"
        if "tray" in words
        else "memory boards"
    )
    answers = BoardAnswers(
        kind=sheet.kind,  # type: ignore[arg-type]  # a sheet's class is one of these
        processors=len(per_socket),
        channels=[_channel_like(c) for c in channels],
        stand=stand,
        carriers=max(len(carriers), 1),
        generation=sheet.memory.generation,  # type: ignore[arg-type]
        form=sheet.memory.form,  # type: ignore[arg-type]
        printed=sheet.slots[order[0]].printed if order else "",
    )
    made = names_of(answers)
    printed = [sheet.slots[s].printed for s in order]
    names = ["" if own == like else own for own, like in zip(printed, made, strict=False)]
    return answers.model_copy(update={"names": names if any(names) else []})


class NoBoardError(ValueError):
    """A report shows no board that answers can say; why, as the end of a sentence."""


@dataclass(frozen=True, slots=True)
class Begun:
    """The board that a report shows, as answers."""

    answers: BoardAnswers
    #: What of processors and channels the names say, and how; "" = nothing.
    why: str
    #: What of them nothing says, and how it is taken all the same, as a sentence; "" = nothing.
    guessed: str
    #: Slot, by its place in order -> index of its report.
    reports: Mapping[int, int]
    #: Index of a report that has no name of its own -> its slot, by place in order: only here one knows which is which.
    nameless: Mapping[int, int]
    #: Slots that the report leaves out, by their names in the answers: the names or the count of its slots show them.
    left_out: tuple[str, ...]


def answers_from(reading: SurveyReading) -> Begun:
    """Raises NoBoardError where a report shows no board that answers can say, such as processors with unlike boards."""
    board = board_shown(reading)
    shown = board.slots
    soldered = [s.module.capacity_gib if s.module else None for s in reading.slots if s.state is SlotState.SOLDERED]
    sockets, guessed = _by_socket(board, MOST_CHANNELS - len(soldered))
    shape = next(iter(_shapes(sockets)), ())
    channels = [
        *(ChannelAnswer(soldered=True, soldered_gib=gib, slots=0) for gib in soldered),
        *(ChannelAnswer(slots=n) for n in shape),
    ]
    if why_not := _unsaid(sockets, len(reading.processors), len(channels)):
        raise NoBoardError(why_not)
    system, modules = reading.system, [s.module for s in reading.slots if s.module]
    claimed = reading.claimed_gib()
    order = [i for of in sockets.values() for slots in of.values() for i in slots]
    told = told_as([s.facts for s in shown])
    names = names_once(told[i] or f"slot {n + 1}" for n, i in enumerate(order))
    answers = BoardAnswers(
        make=((system and system.maker) or "")[:200].strip(),
        model=((system and system.model) or "")[:200].strip(),
        processors=max(len(sockets), 1),
        channels=channels,
        generation=_only(m.generation for m in modules),
        form=_only(m.form for m in modules),
        # Of another shape, its slots are called alike, and its reports found again.
        printed=names[0] if order and told[order[0]] else "",
        names=names,
        limit_gib=claimed,
        limit_by="report" if claimed else None,
    )
    reports = {n: index for n, i in enumerate(order) if (index := shown[i].index) is not None}
    return Begun(
        answers=answers,
        why=board.naming.why,
        guessed=guessed,
        reports=reports,
        nameless={reports[n]: n for n, i in enumerate(order) if told[i] is None and n in reports},
        left_out=tuple(names[n] for n, i in enumerate(order) if shown[i].index is None),
    )


#: Socket, None where names do not say it -> channel -> its slots, by their place in what is shown.
_Sockets = Mapping[str | None, Mapping[str, Sequence[int]]]


def _by_socket(board: ShownBoard, most: int) -> tuple[_Sockets, str]:
    """Slots by socket and channel, and what of that the names do not say: each slot has a channel of its own then, or shares it
    with the next where they are more than a processor has. `most`: channels of a processor."""
    guessed, of = [], dict[str | None, list[int]]()
    if board.in_rows:
        guessed.append(f"which slots hang on which processor: the first {board.in_rows} taken for the first")
    for i, place in enumerate(board.naming.places):
        of.setdefault(place.socket, []).append(i)
    found: dict[str | None, dict[str, list[int]]] = {}
    row = 1 if board.partly_told else _in_a_row({len(slots) for slots in of.values()}, most)
    for socket, slots in of.items():
        for n, i in enumerate(slots):
            channel = board.naming.places[i].channel if board.naming.has_channels else str(n // row)
            found.setdefault(socket, {}).setdefault(channel or "", []).append(i)
    if of and not board.naming.has_channels:
        taken = "each has one of its own here" if row == 1 else f"{row} in a row are taken for one"
        guessed.append(f"which{'' if guessed else ' slots'} share a channel: {taken}")
    return found, f"Its names do not tell {', nor '.join(guessed)}." if guessed else ""


def _in_a_row(counts: Set[int], most: int) -> int:
    """The fewest slots to a channel that make no more channels than a processor has; 1 where no number does."""
    fits = (n for n in range(1, MOST_IN_CHANNEL + 1) if all(c % n == 0 and c // n <= most for c in counts))
    return next(fits, 1)


def _shapes(sockets: _Sockets) -> set[tuple[int, ...]]:
    """How many slots the channels of each socket have; one where they are alike."""
    return {tuple(map(len, channels.values())) for channels in sockets.values()}


def _unsaid(sockets: _Sockets, processors: int, channels: int) -> str:
    """Why answers cannot say such a board; "" where they can. `processors`: how many sockets are told, 0 where none is."""
    if None in sockets and processors > 1:
        return "which slots hang on which processor is not in its names"
    if len(sockets) > MOST_PROCESSORS:
        return f"its names tell of {len(sockets)} processors, and answers of no more than {MOST_PROCESSORS}"
    if sockets and processors and len(sockets) != processors:
        return f"it tells of {processors} processors, and its names of slots of {len(sockets)}"
    if len(_shapes(sockets)) > 1:
        return "its processors have unlike slots"
    if not channels:
        return "no slot is in it"
    if channels > MOST_CHANNELS:
        return (
            f"its names do not say which slots share a channel, and {channels} are more than a processor has channels"
        )
    most = max((n for shape in _shapes(sockets) for n in shape), default=0)
    return f"a channel of {most} slots is none that answers can say" if most > MOST_IN_CHANNEL else ""


def _only(values: Iterable[Any]) -> Any:
    """The one value of all that is known; None where there is none, or several."""
    known = {v for v in values if v is not None}
    return str(known.pop()) if len(known) == 1 else None


def _channel_like(channel: Channel) -> ChannelAnswer:
    held = channel.soldered
    size = held.capacity_gib if held else None
    return ChannelAnswer(slots=len(channel.slots), soldered=held is not None, soldered_gib=size and float(size))
