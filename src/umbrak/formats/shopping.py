"""What to buy on paper: lines with offers, for whom, and what would be nearly right or wrong. HTML of our own, set as PDF."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from html import escape

from umbrak.core.plan.brief import Brief, Variant
from umbrak.formats.pdf import pdf_of


@dataclass(frozen=True, slots=True)
class PaperOffer:
    modules: str
    part: str
    supplier: str
    price: str
    there: str


@dataclass(frozen=True, slots=True)
class PaperLine:
    count: int
    words: str
    part: str
    #: Machine and plan, with how many each.
    needs: tuple[str, ...]
    from_shelf: str
    offers: tuple[PaperOffer, ...]
    missing: int


@dataclass(frozen=True, slots=True)
class ShoppingPaper:
    made: str
    lines: Sequence[PaperLine]
    total: str
    #: Machine and plan -> what to look for.
    briefs: Sequence[tuple[str, Brief]]


_STYLE = """
@page { size: A4; margin: 14mm 14mm 16mm; @bottom-left { content: "What to buy"; font-size: 8pt } @bottom-right { content: counter(page) " of " counter(pages); font-size: 8pt } }
body { font: 10pt/1.35 "DejaVu Sans", sans-serif; color: #000; margin: 0 } h1 { font-size: 16pt; margin: 0 } h2 { font-size: 12pt; margin: 6mm 0 1mm; break-after: avoid } h3 { font-size: 10pt; margin: 2mm 0 .5mm; break-after: avoid }
.head, .small { font-size: 8.6pt; color: #333; margin: 0 } table { border-collapse: collapse; width: 100%; margin-top: 3mm } th { text-align: left; font-weight: normal; font-size: 8.4pt; color: #333 }
td, th { border-bottom: .4pt solid #888; padding: 1mm 2mm 1mm 0; vertical-align: top } tr { break-inside: avoid } .n { text-align: right; white-space: nowrap } td:last-child { white-space: nowrap } .mono { font-family: "DejaVu Sans Mono", monospace; font-size: 8.6pt } .box { display: inline-block; width: 3.6mm; height: 3.6mm; border: .8pt solid #000 }
ul { margin: .4mm 0; padding-left: 5mm; font-size: 8.8pt } .total { font-weight: bold; margin-top: 3mm }
"""


def shopping_pdf(p: ShoppingPaper) -> bytes:
    """The pages as PDF."""
    rows = "".join(_line(line) for line in p.lines)
    briefs = "".join(_brief(whose, brief) for whose, brief in p.briefs if brief.lines)
    body = (
        f"<h1>What to buy</h1><p class=head>{escape(p.made)}</p>"
        f"<table><tr><th><th class=n>count<th>module<th>part<th>of whom<th class=n>price<th>there</tr>{rows}</table>"
        f"<p class=total>{escape(p.total)}</p>{briefs}"
    )
    return pdf_of(
        f"<!doctype html><html lang=en><meta charset=utf-8><title>What to buy</title><style>{_STYLE}</style><body>{body}"
    )


def _line(line: PaperLine) -> str:
    whose = "".join(f"<p class=small>{escape(n)}</p>" for n in (*line.needs, line.from_shelf) if n)
    first = f"<td><span class=box></span><td class=n>{line.count}<td><b>{escape(line.words)}</b>{whose}"
    offers = [
        f"<td class=mono>{escape(o.part)}<td>{escape(o.supplier)}, {escape(o.modules)}<td class=n>{escape(o.price)}<td>{escape(o.there)}"
        for o in line.offers
    ]
    if line.missing:
        offers.append(
            f"<td class=mono>{escape(line.part)}<td>{line.missing} that nobody offers<td class=n>not known<td>"
        )
    offers = offers or ["<td class=mono><td>nothing to buy<td><td>"]
    rest = "".join(f"<tr><td><td><td>{o}</tr>" for o in offers[1:])
    return f"<tr>{first}{offers[0]}</tr>{rest}"


def _brief(whose: str, brief: Brief) -> str:
    parts = [f"<h2>What to look for: {escape(whose)}</h2>"]
    parts += [f"<p><b>It cannot work as it is:</b> {escape(w)}</p>" for w in brief.stops]
    for line in brief.lines:
        parts.append(f"<h3>{escape(line.words)}</h3>")
        told = [f"{d.what}: {d.words}" for d in line.details]
        if line.as_well:
            told.append(f"does as well: {'; '.join(map(str, line.as_well))}")
        told += [*_told("nearly right", line.nearly), *_told("wrong", line.wrong)]
        parts.append("<ul>" + "".join(f"<li>{escape(t)}" for t in told) + "</ul>")
    if brief.open:
        parts.append("<p><b>Nobody can say yet that it fits.</b> Not known:</p>")
        parts.append("<ul>" + "".join(f"<li>{escape(w)}" for w in brief.open) + "</ul>")
    parts += [f"<p class=small>{escape(w)}</p>" for w in brief.besides]
    return "".join(parts)


def _told(kind: str, variants: Sequence[Variant]) -> list[str]:
    return [f"{kind}: {v.words}: {v.comes_to}" if v.comes_to else f"{kind}: {v.words}" for v in variants]
