"""The run sheet on paper: steps with boxes, then a page with the board and its slot map, and bay labels to cut out. HTML of
our own, set by WeasyPrint. Of a run that has begun or ended it shows what was ticked, waived and noted."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from html import escape

from umbrak.core.memory.module import Module, amount
from umbrak.core.plan.actions import Do
from umbrak.core.platform.machine import Occupant
from umbrak.core.runsheet.step import RunSheet, Step, Who
from umbrak.formats.board_picture import DrawnBoard, board_svg
from umbrak.formats.pdf import pdf_of


@dataclass(frozen=True, slots=True)
class PaperSlot:
    """A slot of the map: what is in it before and after; None = empty."""

    printed: str
    #: Where it is for the eye, "" where its name is all that is told.
    place: str
    before: Occupant | None
    after: Occupant | None
    #: Whether the work touches it.
    touched: bool


@dataclass(frozen=True, slots=True)
class PaperStand:
    """How a step stood when the sheet was printed."""

    #: Who ticked it, and when; "" = open.
    by: str = ""
    at: str = ""
    #: Why nobody else looked, what the proof says or was waived, what was noted: a line each.
    lines: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Paper:
    machine: str
    model: str
    place: str
    plan: str
    stage: str
    window: str
    #: When it was begun and by whom, how it ended, when it was printed: a line each.
    told: Sequence[str]
    #: In the shape of the command line's contract.
    sheet: RunSheet
    #: Step -> how it stands.
    stands: Mapping[str, PaperStand]
    #: What was noted of no step.
    notes: Sequence[str]
    #: Slot as printed -> serial noted at the bench.
    serials: Mapping[str, str]
    board: DrawnBoard
    #: Board, riser or socket -> its slots in order.
    slots: Mapping[str, Sequence[PaperSlot]]
    #: Bay -> what tells its drive apart.
    bays: Mapping[int, str]
    #: How they stand on the front.
    bay_columns: int = 1
    bay_numbering: str = ""
    #: Bays whose drives come out for the work.
    bays_out: frozenset[int] = field(default_factory=frozenset)


_STYLE = """
@page { size: A4; margin: 14mm 14mm 16mm; @bottom-left { content: string(title); font-size: 8pt } @bottom-right { content: counter(page) " of " counter(pages); font-size: 8pt } }
body { font: 10pt/1.35 "DejaVu Sans", sans-serif; color: #000; margin: 0 }
h1 { font-size: 16pt; margin: 0; string-set: title content() } h2 { font-size: 12pt; margin: 7mm 0 2mm; border-bottom: .6pt solid #000; break-after: avoid }
.head { margin: 1mm 0 0; color: #333 }
.step { break-inside: avoid; display: grid; grid-template-columns: 8mm 6mm 1fr 22mm; gap: 0 2mm; padding: 1.4mm 0; border-bottom: .3pt solid #bbb }
.step .n { text-align: right; color: #444 } .box { display: inline-block; width: 3.6mm; height: 3.6mm; border: .8pt solid #000; vertical-align: -.5mm; font-size: 9pt; line-height: 3.4mm; text-align: center }
.hold { background: #eee; padding-left: 1mm } .hold strong::before { content: "HOLD  "; letter-spacing: .05em }
.small { font-size: 8.4pt; color: #333; margin: .4mm 0 0 } .min { text-align: right; font-size: 8.4pt; color: #333 } .said { font-size: 8.8pt; margin: .6mm 0 0; border-left: 1.6pt solid #000; padding-left: 1.6mm }
ul { margin: .4mm 0 0; padding-left: 4mm; font-size: 8.8pt } .checks { list-style: none; padding-left: 0 }
.line { display: inline-block; width: 62mm; margin: 2.5mm 4mm 0 0; border-bottom: .4pt solid #000; font-size: 8.4pt } .line b { font-size: 9.4pt; margin-left: 2mm }
.map { break-before: page; break-inside: avoid } .map h2 { margin-top: 0 } .map figure { margin: 0 0 3mm; text-align: center } .board text { font-family: "DejaVu Sans", sans-serif }
.columns > div { display: inline-block; vertical-align: top; padding-right: 2mm; box-sizing: border-box } .fixed { table-layout: fixed } .full td { white-space: normal }
table { border-collapse: collapse; width: 100% } td, th { border: .4pt solid #666; padding: 0 1.2mm; text-align: left; white-space: nowrap; overflow: hidden; text-overflow: ellipsis } .seen { width: 5mm; text-align: center } .fixed .name { width: 36% } .fixed .seen { width: 3.2mm; padding: 0 } .fixed td, .fixed th { padding: 0 .8mm }
.changed td { font-weight: bold }
.front { display: grid; gap: 0; margin: 2mm 0; break-inside: avoid } .front div { border: .5pt solid #000; padding: .8mm 1mm; font-size: 7.4pt; min-height: 7.4mm; overflow: hidden } .front .out { background: #ddd; font-weight: bold }
.labels { display: grid; grid-template-columns: repeat(3, 1fr); gap: 0; break-inside: avoid }
.label { border: .6pt dashed #000; padding: 3mm; height: 22mm; break-inside: avoid } .label b { font-size: 22pt } .label div { font-size: 8.6pt }
"""


def paper_pdf(p: Paper) -> bytes:
    """The sheet as PDF."""
    return pdf_of(paper_html(p))


def paper_html(p: Paper) -> str:
    """The whole as a page; nothing in it is loaded from anywhere."""
    told = (", ".join(x for x in (p.model, p.place, p.stage, p.window) if x), *p.told)
    parts = [
        f"<h1>{escape(p.machine)}: {escape(p.plan)}</h1>",
        f"<p class=head>{'<br>'.join(map(escape, told))}</p>",
    ]
    phase = ""
    for number, step in enumerate(p.sheet.steps, 1):
        if step.phase != phase:
            phase = step.phase
            parts.append(f"<h2>{escape(phase[0].upper() + phase[1:])}</h2>")
        parts.append(_step(number, step, p))
    if p.notes:
        parts.append("<h2>Noted besides</h2><ul>" + "".join(f"<li>{escape(n)}" for n in p.notes) + "</ul>")
    parts.append(_map(p))
    if p.bays:
        labels = "".join(
            f"<div class=label><b>{n}</b><div>{escape(p.machine)}, bay {n}</div><div>{escape(drive or '…')}</div></div>"
            for n, drive in sorted(p.bays.items())
        )
        parts += [_front(p), f"<h2>Bay labels to cut out</h2><div class=labels>{labels}</div>"]
    return f"<!doctype html><html lang=en><meta charset=utf-8><title>{escape(p.machine)}</title><style>{_STYLE}</style><body>{''.join(parts)}"


def _box(ticked: bool = False) -> str:
    return f"<span class=box>{'✓' if ticked else ''}</span>"


def _step(number: int, s: Step, p: Paper) -> str:
    stand = p.stands.get(s.key, PaperStand())
    low, high = s.minutes.low, s.minutes.high
    minutes = (
        ""
        if not high
        else f"{low:.3g} min"
        if low == high < 1440
        else f"{low:.3g} to {high:.3g} min"
        if high < 1440
        else f"{high / 1440:.3g} days"
    )
    inner = [f"<strong>{escape(s.text)}</strong>"]
    if s.why:
        inner.append(f"<div class=small>why: {escape(s.why)}</div>")
    if s.tools:
        inner.append(f"<div class=small>with: {escape(', '.join(s.tools))}</div>")
    if s.details:
        inner.append("<ul>" + "".join(f"<li>{escape(d)}" for d in s.details) + "</ul>")
    if s.checks:
        inner.append(
            "<ul class=checks>" + "".join(f"<li>{_box(bool(stand.by))} {escape(c)}" for c in s.checks) + "</ul>"
        )
    if s.action is not None and s.action.do is Do.PUT_IN and s.action.source is None:
        inner.append(_line("serial", p.serials.get(s.action.target or "", "")))
    if s.proves is not None and not stand.by:
        inner.append("<div class=small>Proof ticks this, when it has it; a lead may waive what is lacking</div>")
    if s.who is Who.SECOND:
        inner.append("<div class=small>a second person or a lead ticks this</div>")
    if s.who is Who.SECOND or stand.by:
        inner.append(_line("name", stand.by) + _line("time", stand.at))
    inner += [f"<div class=said>{escape(told)}</div>" for told in stand.lines]
    if s.hold:
        inner.append("<div class=small>to go back:</div>")
        inner.append("<ul>" + "".join(f"<li>{escape(w)}" for w in s.back_out) + "</ul>")
    kind = "step hold" if s.hold else "step"
    return f'<div class="{kind}"><span class=n>{number}</span><span>{_box(bool(stand.by))}</span><div>{"".join(inner)}</div><span class=min>{minutes}</span></div>'


def _line(name: str, said: str) -> str:
    """A line to write on, or what stands on it already."""
    return f"<div class=line>{name}{f'<b>{escape(said)}</b>' if said else ''}</div>"


#: What a page of A4 holds within the margins, what the board may take of it, and what its legend and headings take. [mm]
_PAGE, _WIDE, _BOARD, _AROUND = 266.0, 182.0, 112.0, 22.0
#: Rows that may take two lines each, and letters that one line of the widest table holds.
_FEW, _LINE = 12, 34
_LEGEND = "grey: stays; raised, with a shadow: goes in; dashed, out: comes out; ?: not known; bold: the work touches it"


@dataclass(frozen=True, slots=True)
class _Setting:
    """How the map is set."""

    columns: int
    #: Size of its letters [pt] and height of a row [mm].
    points: float
    height: float

    def rows(self, p: Paper) -> int:
        """Of the tallest column, at most: a place that goes on in the next column has its name there again."""
        count = sum(len(slots) + 1 for slots in p.slots.values())
        return count if self.columns == 1 else -(-(count + self.columns * len(p.slots)) // self.columns) + 1


#: The first that fits is taken.
_SETTINGS = (
    _Setting(1, 8.6, 4.7),
    _Setting(2, 8.4, 4.5),
    _Setting(2, 7.0, 3.9),
    _Setting(3, 6.6, 3.6),
    _Setting(4, 5.6, 3.1),
    _Setting(4, 4.4, 2.5),
)


def _map(p: Paper) -> str:
    """Board and map on one page, whatever the machine's size: the map is set in as many columns as that takes."""
    room = _PAGE - _BOARD - _AROUND
    setting = next((s for s in _SETTINGS if s.rows(p) * s.height <= room), _SETTINGS[-1])
    kind = "full" if setting.columns == 1 else "fixed"
    set_in = "".join(
        f"<div style='width: {100 / setting.columns:.2f}%'><table class={kind}>{''.join(rows)}</table></div>"
        for rows in _tables(p, setting)
    )
    style = f"font-size: {setting.points}pt; line-height: {setting.height - 0.2:.2f}mm"
    return (
        f"<section class=map><h2>Slot map</h2><figure>{board_svg(p.board, _WIDE, _BOARD)}</figure><p class=small>{_LEGEND}</p>"
        f'<div class=columns style="{style}">{set_in}</div></section>'
    )


def _tables(p: Paper, setting: _Setting) -> list[list[str]]:
    """The rows of each column."""
    full, placed = setting.columns == 1, any(s.place for slots in p.slots.values() for s in slots)
    words = _words_for(p, setting)
    most = setting.rows(p) - (0 if full else 1)
    tables: list[list[str]] = [[]]
    for title, slots in p.slots.items():
        head = _head(title, setting, full and placed)
        fresh = True
        for s in slots:
            if len(tables[-1]) >= most - fresh and len(tables) < setting.columns:
                tables.append([])
                fresh = True
            if fresh:
                tables[-1].append(head)
                fresh = False
            place = f"<td>{escape(s.place)}" if full and placed else ""
            box = _box() if full else "▢"
            kind = "changed" if s.touched else "kept"
            tables[-1].append(
                f"<tr class={kind}><td>{escape(s.printed)}{place}<td>{escape(words(s.before))}<td>{escape(words(s.after))}<td class=seen>{box}</tr>"
            )
    return tables


def _head(title: str, setting: _Setting, placed: bool) -> str:
    if setting.columns == 1:
        return f"<tr><th>{escape(title)}{'<th>where' if placed else ''}<th>before<th>after<th class=seen>seen</tr>"
    unit = "GB " if setting.columns > 2 else ""
    return f"<tr><th class=name>{escape(title)}<th>{unit}was<th>will be<th class=seen></tr>"


def _words_for(p: Paper, setting: _Setting) -> Callable[[Occupant | None], str]:
    """As many words of a module as a cell has room for."""
    if setting.columns > 2:
        return _briefest
    held = [x for slots in p.slots.values() for s in slots for x in (s.before, s.after)]
    fits = setting.rows(p) <= _FEW or max((len(_in_full(x)) for x in held), default=0) <= _LINE
    return _in_full if setting.columns == 1 and fits else _brief


def _in_full(x: Occupant | None) -> str:
    return "empty" if x is None else x.short() if isinstance(x, Module) else "not known"


def _brief(x: Occupant | None) -> str:
    """As much as a narrow column holds: size, ranks by width, rate."""
    if not isinstance(x, Module):
        return _in_full(x)
    size = f"{amount(x.capacity_gib)} GB" if x.capacity_gib else "size ?"
    ranks = f"{x.package_ranks}R" + (f"x{x.device_width}" if x.device_width else "") if x.package_ranks else ""
    return " ".join(w for w in (size, ranks, str(x.rate_mts or "")) if w)


def _briefest(x: Occupant | None) -> str:
    """What a machine of a hundred slots leaves room for: size without its unit, ranks by width."""
    if not isinstance(x, Module):
        return "empty" if x is None else "?"
    ranks = f"{x.package_ranks}R" + (f"x{x.device_width}" if x.device_width else "") if x.package_ranks else ""
    return " ".join(w for w in (amount(x.capacity_gib) if x.capacity_gib else "?", ranks) if w)


def _front(p: Paper) -> str:
    """The drive bays as they stand on the front."""
    cells = "".join(
        f"<div class={'out' if n in p.bays_out else 'in'}><b>{n}</b>{' comes out' if n in p.bays_out else ''}<br>{escape(drive or '…')}</div>"
        for n, drive in sorted(p.bays.items())
    )
    numbering = f" <span class=small>{escape(p.bay_numbering)}</span>" if p.bay_numbering else ""
    return f'<h2>Drive bays, from the front{numbering}</h2><div class=front style="grid-template-columns: repeat({p.bay_columns}, 1fr)">{cells}</div>'
