"""The catalogue as a page: docs/rules.md is made from it (`python -m umbrak.formats.rules_page > docs/rules.md`)."""

from __future__ import annotations

from umbrak.core.rules import CATALOGUE, RULES
from umbrak.core.rules.finding import Severity

_FAMILIES = {
    "fit": "whether the module goes into the slot at all",
    "power": "rails",
    "kind": "which kinds of module the machine drives, and which may live together",
    "limit": "what somebody states as a limit, passed for certain",
    "speed": "what the memory runs at, and what holds it there",
    "order": "which slots come first, whole sets, even channels and sockets",
    "risk": "what may work, unsupported or at the expense of the warranty",
    "mode": "mirroring, sparing and their kin",
}


def rules_page() -> str:
    """The catalogue in Markdown: a section a family, a paragraph a code."""
    lines = [
        "# Rules",
        "",
        "Made from the catalogue and the rules' own words; do not edit. Severities, worst first: stop, ask, risk, slow, note.",
        "Every code can also be an *ask*: the fact that decides is not known; it names the fact and the worst it could hide.",
        "",
    ]
    for family, what in _FAMILIES.items():
        lines += [f"## {family}: {what}", ""]
        for code, entry in CATALOGUE.items():
            if code.split(".")[0] != family:
                continue
            taken = ", ".join(s.value for s in Severity if s in entry.severities) or "ask"
            looks_at = " ".join((RULES[code].find.__doc__ or "").split())
            lines += [
                f"### `{code}` ({taken})",
                "",
                f"**{entry.title}.** {looks_at} Why: {entry.why}. What to do: {entry.do}. Rests on: {entry.source}.",
                "",
            ]
    return "\n".join(lines)


if __name__ == "__main__":
    print(rules_page(), end="")
