"""The run sheet on paper: steps with boxes, the slot map, bay labels to cut out. HTML of our own, set by WeasyPrint."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from html import escape
from typing import Any

from umbrak.core.plan.actions import Do
from umbrak.core.runsheet.step import RunSheet, Step, Who


@dataclass(frozen=True, slots=True)
class PaperSlot:
    """A slot of the map: what is in it before and after, in few words; "" = empty."""

    printed: str
    place: str
    before: str
    after: str


@dataclass(frozen=True, slots=True)
class Paper:
    machine: str
    model: str
    place: str
    plan: str
    stage: str
    window: str
    made: str
    #: In the shape of the command line's contract.
    sheet: RunSheet
    #: Board, riser or socket -> its slots in order.
    slots: Mapping[str, Sequence[PaperSlot]]
    #: Bay -> what tells its drive apart.
    bays: Mapping[int, str]


_STYLE = """
@page { size: A4; margin: 14mm 14mm 16mm; @bottom-left { content: string(title); font-size: 8pt } @bottom-right { content: counter(page) " of " counter(pages); font-size: 8pt } }
body { font: 10pt/1.35 "DejaVu Sans", sans-serif; color: #000; margin: 0 }
h1 { font-size: 16pt; margin: 0; string-set: title content() } h2 { font-size: 12pt; margin: 7mm 0 2mm; border-bottom: .6pt solid #000; break-after: avoid }
.head { margin: 1mm 0 0; color: #333 }
.step { break-inside: avoid; display: grid; grid-template-columns: 8mm 6mm 1fr 22mm; gap: 0 2mm; padding: 1.4mm 0; border-bottom: .3pt solid #bbb }
.step .n { text-align: right; color: #444 } .box { display: inline-block; width: 3.6mm; height: 3.6mm; border: .8pt solid #000; vertical-align: -.5mm }
.hold { background: #eee; padding-left: 1mm } .hold strong::before { content: "HOLD  "; letter-spacing: .05em }
.small { font-size: 8.4pt; color: #333; margin: .4mm 0 0 } .min { text-align: right; font-size: 8.4pt; color: #333 }
ul { margin: .4mm 0 0; padding-left: 4mm; font-size: 8.8pt } .checks { list-style: none; padding-left: 0 }
.line { display: inline-block; width: 62mm; margin: 2.5mm 4mm 0 0; border-bottom: .4pt solid #000; font-size: 8.4pt }
table { border-collapse: collapse; width: 100%; font-size: 8.6pt } td, th { border: .4pt solid #666; padding: .8mm 1.4mm; text-align: left } tr { break-inside: avoid }
.changed td { font-weight: bold } .labels { display: grid; grid-template-columns: repeat(3, 1fr); gap: 0; break-inside: avoid }
.label { border: .6pt dashed #000; padding: 3mm; height: 22mm; break-inside: avoid } .label b { font-size: 22pt } .label div { font-size: 8.6pt }
"""


def paper_html(p: Paper) -> str:
    """The whole as a page; nothing in it is loaded from anywhere."""
    parts = [
        f"<h1>{escape(p.machine)}: {escape(p.plan)}</h1>",
        f"<p class=head>{escape(', '.join(x for x in (p.model, p.place, p.stage, p.window) if x))}<br>{escape(p.made)}</p>",
    ]
    phase = ""
    for number, step in enumerate(p.sheet.steps, 1):
        if step.phase != phase:
            phase = step.phase
            parts.append(f"<h2>{escape(phase[0].upper() + phase[1:])}</h2>")
        parts.append(_step(number, step))
    parts.append("<h2>Slot map</h2>")
    for title, slots in p.slots.items():
        rows = "".join(
            f"<tr class={'changed' if s.before != s.after else 'kept'}><td>{escape(s.printed)}<td>{escape(s.place)}"
            f"<td>{escape(s.before or 'empty')}<td>{escape(s.after or 'empty')}<td><span class=box></span></tr>"
            for s in slots
        )
        parts.append(f"<table><tr><th>{escape(title)}<th>where<th>before<th>after<th>seen</tr>{rows}</table><br>")
    if p.bays:
        labels = "".join(
            f"<div class=label><b>{n}</b><div>{escape(p.machine)}, bay {n}</div><div>{escape(drive or '…')}</div></div>"
            for n, drive in sorted(p.bays.items())
        )
        parts.append(f"<h2>Bay labels to cut out</h2><div class=labels>{labels}</div>")
    return f"<!doctype html><html lang=en><meta charset=utf-8><title>{escape(p.machine)}</title><style>{_STYLE}</style><body>{''.join(parts)}"


def _step(number: int, s: Step) -> str:
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
            "<ul class=checks>" + "".join(f"<li><span class=box></span> {escape(c)}" for c in s.checks) + "</ul>"
        )
    if s.action is not None and s.action.do is Do.PUT_IN and s.action.source is None:
        inner.append("<div class=line>serial</div>")
    if s.proves is not None:
        inner.append("<div class=small>Proof ticks this, when it has it; a lead may waive what is lacking</div>")
    if s.who is Who.SECOND:
        inner.append("<div class=small>a second person or a lead ticks this</div><div class=line>name</div><div class=line>time</div>")  # fmt: skip
    if s.hold:
        inner.append("<div class=small>to go back:</div>")
        inner.append("<ul>" + "".join(f"<li>{escape(w)}" for w in s.back_out) + "</ul>")
    kind = "step hold" if s.hold else "step"
    return f'<div class="{kind}"><span class=n>{number}</span><span><span class=box></span></span><div>{"".join(inner)}</div><span class=min>{minutes}</span></div>'


def paper_pdf(p: Paper) -> bytes:
    """The page as PDF."""
    return pdf_of(paper_html(p))


def pdf_of(page: str) -> bytes:
    """A page as PDF. Nothing is fetched from anywhere: whatever asks for it gets an error."""
    from weasyprint import HTML

    def fetch(url: str, *_: object, **__: object) -> dict[str, Any]:
        raise ValueError(f"nothing is loaded for paper: {url[:60]}")

    return bytes(HTML(string=page, url_fetcher=fetch).write_pdf())
