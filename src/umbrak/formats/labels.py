"""Labels to stick on bags, modules and slots, with a code that the fields for labels read back. HTML of our own, set as PDF."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from html import escape

from umbrak.core.memory.module import Module
from umbrak.formats.pdf import pdf_of
from umbrak.formats.text import cleaned

#: More on one go are no errand but a mistake.
MOST = 1000


@dataclass(frozen=True, slots=True)
class StickyLabel:
    #: What is read from afar.
    title: str
    lines: tuple[str, ...]
    #: What a scanner types, as QR code (ISO/IEC 18004); "" = none.
    code: str = ""


_STYLE = """
@page { size: A4; margin: 8mm 6mm }
body { font: 7.8pt/1.2 "DejaVu Sans", sans-serif; color: #000; margin: 0 }
.sheet { display: grid; grid-template-columns: repeat(3, 1fr) }
.label { box-sizing: border-box; height: 34mm; padding: 2.5mm 3mm; border: .4pt dashed #888; break-inside: avoid; display: grid; grid-template-columns: 1fr 23mm; gap: 0 2mm; overflow: hidden }
.label b { display: block; font-size: 9pt; overflow-wrap: anywhere } .label div { overflow-wrap: anywhere } .mono { font-family: "DejaVu Sans Mono", monospace; font-size: 7.2pt }
svg { width: 23mm; height: 23mm }
"""


def module_code(module: Module, part: str | None = None) -> str:
    """What the code on a module's label says: its words, part number and serial, as a label is read."""
    told = [module.short() if module.capacity_gib else ""]
    told += [
        f"P/N {part or module.part}" if part or module.part else "",
        f"S/N {module.serial}" if module.serial else "",
    ]
    return " ".join(t for t in told if t)


def labels_pdf(labels: Iterable[StickyLabel]) -> bytes:
    """Three by eight a page of A4."""
    inner = "".join(_label(one) for one in labels)
    return pdf_of(
        f"<!doctype html><html lang=en><meta charset=utf-8><title>Labels</title><style>{_STYLE}</style><body><div class=sheet>{inner}</div>"
    )


#: Characters of a line beside the code, of one of the title, and lines in all.
_WIDE, _TITLE, _HIGH = 22, 14, 8


def _fitted(one: StickyLabel) -> list[str]:
    """Its lines as far as there is room for them; where more is told the last ends in "…"."""
    found: list[str] = []
    left = _HIGH - min(3, -(-len(one.title) // _TITLE))
    for line in filter(None, one.lines):
        if left < 1:
            found[-1] = f"{found[-1].removesuffix('…')}…"
            break
        found.append(cleaned(line, left * _WIDE))
        left -= -(-len(line) // _WIDE)
    return found


def _label(one: StickyLabel) -> str:
    lines = "".join(f"<div>{escape(line)}</div>" for line in _fitted(one))
    return f"<div class=label><div><b>{escape(one.title)}</b>{lines}</div><div>{_svg(one.code) if one.code else ''}</div></div>"


def _svg(code: str) -> str:
    import segno

    # Characters beyond ASCII want the code to say how they are written (ISO/IEC 18004, ECI); others it would only hold back.
    wide = not code.isascii()
    made = segno.make(code, error="m", micro=False, encoding="utf-8" if wide else None, eci=wide)
    return str(made.svg_inline(border=2, omitsize=True))
