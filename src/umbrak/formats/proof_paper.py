"""A proof on one page: before and after, what is proved and by what, what was waived and why, who signed. HTML of our own."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from html import escape

from umbrak.formats.board_picture import DrawnBoard, board_svg
from umbrak.formats.pdf import pdf_of

#: Lines of each kind that the page holds; how many there are besides is said, and the run's page has them.
CHANGES, TESTS, REMARKS = 14, 4, 6


@dataclass(frozen=True, slots=True)
class PaperItem:
    """One thing that is wanted of a proof."""

    what: str
    #: there, lacking, against or waived.
    state: str
    words: str
    #: Why it was waived.
    reason: str
    #: Who and when; "" where it is not there.
    came: str


@dataclass(frozen=True, slots=True)
class ProofPaper:
    machine: str
    model: str
    place: str
    plan: str
    #: How the run stands and when it was printed: a line each.
    told: Sequence[str]
    #: (name, planned, seen, words): totals and the rate.
    figures: Sequence[tuple[str, str, str, str]]
    #: Installed before and after. [GiB]
    before_gib: float | None
    after_gib: float | None
    #: What was seen last, by whom, when; "" = nothing was.
    seen: str
    board: DrawnBoard
    #: What is done with modules, a line each; and whether that is over.
    changes: Sequence[str]
    ended: bool
    items: Sequence[PaperItem]
    tests: Sequence[str]
    soak: str
    remarks: Sequence[str]
    #: Who signed, when, with which outcome and word; "" = nobody did.
    signed: str
    #: What it lacks before it can be signed.
    lacking: Sequence[str]


_STYLE = """
@page { size: A4; margin: 13mm 14mm 14mm; @bottom-right { content: counter(page) " of " counter(pages); font-size: 8pt } }
body { font: 9pt/1.3 "DejaVu Sans", sans-serif; color: #000; margin: 0 } h1 { font-size: 15pt; margin: 0 } h2 { font-size: 10.5pt; margin: 3.4mm 0 1mm; border-bottom: .5pt solid #000 }
.head { margin: .6mm 0 0; color: #333; font-size: 8.4pt } figure { margin: 2.4mm 0 0; text-align: center } .board text { font-family: "DejaVu Sans", sans-serif } .small { font-size: 7.8pt; color: #333; margin: .4mm 0 }
.total { font-size: 17pt; font-weight: bold; margin: 1.6mm 0 0 } .total small { font-size: 9pt; font-weight: normal }
table { border-collapse: collapse; width: 100%; font-size: 8.4pt } td, th { border-bottom: .3pt solid #999; padding: .5mm 2mm .5mm 0; text-align: left; vertical-align: top } th { font-weight: normal; color: #333 }
.two { display: grid; grid-template-columns: 1fr 1fr; gap: 0 7mm } ul { margin: 0; padding-left: 3.6mm; font-size: 8.2pt } .state { font-weight: bold; white-space: nowrap }
.signed { border: 1pt solid #000; padding: 2mm 3mm; margin-top: 4mm; font-size: 9.4pt } .open { border-style: dashed } .line { display: inline-block; width: 60mm; margin: 5mm 6mm 0 0; border-bottom: .4pt solid #000; font-size: 8pt }
"""
_MARKS = {"there": "✓", "waived": "~", "lacking": "○", "against": "■"}
#: What the board may take of the page. [mm]
_BOARD = (182.0, 62.0)


def proof_paper_pdf(p: ProofPaper) -> bytes:
    return pdf_of(proof_paper_html(p))


def proof_paper_html(p: ProofPaper) -> str:
    told = (", ".join(x for x in (p.model, p.place) if x), *p.told)
    figures = "".join(
        f"<tr><th>{escape(name)}<td>{escape(planned)}<td><b>{escape(seen)}</b><td>{escape(words)}</tr>"
        for name, planned, seen, words in p.figures
    )
    items = "".join(
        f"<tr><td class=state>{_MARKS.get(i.state, '?')} {escape(i.state)}<td>{escape(i.what)}<td>{escape(i.words)}{f'<br>why: {escape(i.reason)}' if i.reason else ''}<td>{escape(i.came)}</tr>"
        for i in p.items
    )
    before, after = _gb(p.before_gib), _gb(p.after_gib)
    signed = (
        f"<div class=signed><b>Signed off</b> {escape(p.signed)}</div>"
        if p.signed
        else f"<div class='signed open'><b>Not signed off.</b> {escape('; '.join(p.lacking) or 'Everything is there.')}<br><span class=line>name</span><span class=line>time</span></div>"
    )
    parts = [
        f"<h1>{escape(p.machine)}: proof of {escape(p.plan)}</h1><p class=head>{'<br>'.join(map(escape, told))}</p>",
        f"<p class=total>{before} → {after} <small>planned{'; seen: ' + escape(p.seen) if p.seen else '; nothing was seen since'}</small></p>",
        f"<figure>{board_svg(p.board, *_BOARD)}</figure><p class=small>sealed: proved; grey: in it; dashed: it came out; ?: not known</p>",
        f"<table><tr><th><th>planned<th>seen<th></tr>{figures}</table>" if figures else "",
        f"<h2>What is proved, and what is not</h2><table>{items}</table>",
        f"<div class=two><section><h2>{'What was done' if p.ended else 'What is planned'}</h2>{_list(p.changes, CHANGES)}</section><section><h2>Tests and soak</h2>{_list([*p.tests[-TESTS:], *([p.soak] if p.soak else [])], TESTS + 1)}<h2>Noted</h2>{_list(p.remarks, REMARKS)}</section></div>",
        signed,
    ]
    return f"<!doctype html><html lang=en><meta charset=utf-8><title>{escape(p.machine)}: proof</title><style>{_STYLE}</style><body>{''.join(parts)}"


def _gb(gib: float | None) -> str:
    return f"{gib:g} GB" if gib is not None else "not known"


def _list(lines: Sequence[str], most: int) -> str:
    if not lines:
        return "<p class=small>nothing</p>"
    more = len(lines) - most
    rest = f"<li>and {more} more, on the run's page" if more > 0 else ""
    return "<ul>" + "".join(f"<li>{escape(line)}" for line in lines[:most]) + rest + "</ul>"
