"""A manager's page: HTML of our own, set as PDF."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from html import escape

from umbrak.formats.pdf import pdf_of

#: Lines of work that one page holds; how many there are besides is said.
SHOWN = 24


@dataclass(frozen=True, slots=True)
class ReportLine:
    machine: str
    plan: str
    ended: date | None
    #: proved, waived, backed out
    state: str
    before_gib: float
    after_gib: float
    #: Whether the machine is as it was planned now.
    stays: bool


@dataclass(frozen=True, slots=True)
class Report:
    since: date
    until: date
    made: datetime
    lines: Sequence[ReportLine]
    gained_gib: float
    #: What was ordered, by currency.
    spent: Sequence[str]
    orders: int
    #: Against the official way, "" where of no plan both have a price; of how many plans that is.
    saved: str
    saved_of: int
    #: Approved plans that ended; of those, how many count in the figures of trouble.
    approved: int
    counted: int
    met: int
    predicted: float


_STYLE = """
@page { size: A4; margin: 16mm 16mm 16mm; @bottom-left { content: string(made); font-size: 8pt } @bottom-right { content: counter(page) " of " counter(pages); font-size: 8pt } }
body { font: 10pt/1.4 "DejaVu Sans", sans-serif; color: #000; margin: 0 } h1 { font-size: 17pt; margin: 0 } .made { string-set: made content(); font-size: 8.6pt; color: #333; margin: 0 0 5mm }
.figures { display: grid; grid-template-columns: repeat(4, 1fr); gap: 0 6mm; border-top: .8pt solid #000; border-bottom: .8pt solid #000; padding: 3mm 0; margin-bottom: 5mm }
.figures b { display: block; font-size: 16pt; line-height: 1.2 } .small { font-size: 8.4pt; color: #333; margin: 0 } h2 { font-size: 11.5pt; margin: 5mm 0 1.5mm }
table { border-collapse: collapse; width: 100%; font-size: 9pt } td, th { border-bottom: .4pt solid #999; padding: 1mm 2mm 1mm 0; text-align: left } th { font-weight: normal; color: #333; font-size: 8.4pt } .n { text-align: right; white-space: nowrap }
.bar { position: relative; height: 5mm; border: .6pt solid #000; margin: 1mm 0 } .bar i { position: absolute; top: 0; bottom: 0; left: 0; background: #bbb } .bar u { position: absolute; top: -1mm; bottom: -1mm; width: .8pt; background: #000 }
"""
_STATES = {"proved": "proved", "waived": "back on duty, something waived", "backed out": "backed out"}


def report_pdf(r: Report) -> bytes:
    return pdf_of(report_html(r))


def report_html(r: Report) -> str:
    count = {s: sum(line.state == s for line in r.lines) for s in _STATES}
    spent = " + ".join(r.spent) or "nothing"
    figures = (
        (
            str(count["proved"] + count["waived"]),
            f"done, {count['waived']} with something waived; {count['backed out']} backed out",
        ),
        (f"{r.gained_gib:+g} GB", "in the machines that are done"),
        (spent, f"ordered, in {r.orders} {'order' if r.orders == 1 else 'orders'}"),
        (
            r.saved or "not known",
            f"less than the official way, in {r.saved_of} of {r.approved} approved plans that ended",
        ),
    )
    shown = r.lines[-SHOWN:]
    rows = "".join(
        f"<tr><td>{line.ended or ''}<td><b>{escape(line.machine)}</b><td>{escape(line.plan)}<td>{escape(_STATES.get(line.state, line.state))}"
        f"<td class=n>{line.before_gib:g}<td class=n>{line.after_gib:g}</tr>"
        for line in shown
    )
    more = len(r.lines) - len(shown)
    parts = [
        f"<h1>Memory, {r.since} to {r.until}</h1><p class=made>made {r.made:%Y-%m-%d %H:%M} UTC</p><div class=figures>",
        *(f"<div><b>{escape(figure)}</b><p class=small>{escape(words)}</p></div>" for figure, words in figures),
        "</div><h2>Trouble, predicted and met</h2>",
        _trouble(r),
        "<h2>Done</h2>",
        f"<table><tr><th>ended<th>machine<th>plan<th>how it ended<th class=n>GB before<th class=n>after</tr>{rows}</table>"
        if rows
        else "<p>Nothing ended in these days.</p>",
        f"<p class=small>and {more} before these</p>" if more else "",
    ]
    return f"<!doctype html><html lang=en><meta charset=utf-8><title>Memory, {r.since} to {r.until}</title><style>{_STYLE}</style><body>{''.join(parts)}"


def _trouble(r: Report) -> str:
    if not r.counted:
        return "<p>No plan that was approved with a figure of trouble ended in these days.</p>"
    met, predicted = 100 * r.met / r.counted, 100 * min(1.0, r.predicted / r.counted)
    return (
        f"<p>Of {r.counted} approved plans that ended, <b>{r.met}</b> met trouble; <b>{r.predicted:g}</b> were predicted to.</p>"
        f"<div class=bar><i style='width: {met:.1f}%'></i><u style='left: {predicted:.1f}%'></u></div>"
        "<p class=small>grey: met; line: predicted; the whole: every plan that counts</p>"
    )
