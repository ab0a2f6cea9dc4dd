"""What systems print of their memory, as technicians paste it: each output with what is read of it."""

from __future__ import annotations

import re
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.formats.outputs import outputs, told
from tests.formats.spd_facts import WRITERS, Chip
from umbrak.core.platform.survey import SurveyReading
from umbrak.formats.bounds import Deadline
from umbrak.formats.faults import InputError
from umbrak.formats.guide import GUIDE
from umbrak.formats.hexed import unhexed
from umbrak.formats.reading import READERS, detect, read_any
from umbrak.formats.smbios.survey import maker_in_figures
from umbrak.formats.text import unmailed

OUTPUTS = outputs()
NAMES = [o["name"] for o in OUTPUTS]


def read(data: bytes) -> dict[str, Any]:
    reading = read_any(data)
    assert isinstance(reading, SurveyReading)
    return told(reading)


@pytest.mark.parametrize("output", OUTPUTS, ids=NAMES)
def test_what_is_read_of_each(output: dict[str, Any]) -> None:
    text = output["text"]
    assert read(text.encode()) == output["reads"]
    assert detect(text.encode()) == output["reads"]["kind"] and output["reads"]["kind"] in READERS


@pytest.mark.parametrize("output", OUTPUTS, ids=NAMES)
def test_however_it_was_mailed_or_saved(output: dict[str, Any]) -> None:
    """Another line end, a console's UTF-16, a mark at its beginning, a terminal's colours, spaces of another width, set off as
    code, a blank line behind every line: the same is read. Cut off, something or a refusal."""
    text = output["text"]
    coloured = re.sub(r"^(\s*)(\w[\w ]*:)", "\\1\x1b[1m\\2\x1b[0m", text, flags=re.M)
    for data in (
        text.replace("\n", "\r\n").encode(), text.encode("utf-16"), b"\xef\xbb\xbf" + text.encode(), coloured.encode(),
        text.replace(" ", "\u00a0").encode(), text.replace("\n", "\r").encode(), text.replace("\n", "\n\n").encode(),
        f"```\n{text}\n```\n".encode(), re.sub(r"^(?=.)", "    ", text, flags=re.M).encode(),
    ):  # fmt: skip
        assert read(data) == output["reads"]
    for end in range(0, len(text), max(1, len(text) // 40)):
        try:
            read_any(text[:end].encode())
        except InputError as error:
            assert error.faults[0].message


@pytest.mark.parametrize(
    "output", [o for o in OUTPUTS if not re.match(r"\s*[{\[<]", o["text"])], ids=lambda o: o["name"]
)
def test_quoted_in_a_mail_nothing_else_is_read(output: dict[str, Any]) -> None:
    """What is read of a quoted paste is what is read of the paste, or less."""
    quoted = "".join(f"> {line}" for line in output["text"].splitlines(keepends=True))
    try:
        found = read(quoted.encode())
    except InputError:
        return
    assert set(found.get("slots", ())) <= set(output["reads"].get("slots", ())), found


@pytest.mark.parametrize("generation", ["DDR3", "DDR4", "DDR5"])
def test_an_spd_in_figures(generation: str) -> None:
    data = WRITERS[generation](Chip(generation))  # type: ignore[arg-type]
    lines = [data[i : i + 16] for i in range(0, len(data), 16)]
    ways = {
        "i2cdump": "     0  1  2  3  4  5  6  7  8  9  a  b  c  d  e  f    0123456789abcdef\n"
        + "".join(f"{16 * i:02x}: {line.hex(' ')}    ................\n" for i, line in enumerate(lines)),
        "bare": "".join(line.hex(" ") + "\n" for line in lines),
        "capitals": "".join(f"{16 * i:08X}: {line.hex(' ').upper()}\n" for i, line in enumerate(lines)),
    }
    for name, text in ways.items():
        assert (name, detect(text.encode()), unhexed(text, Deadline())) == (name, "spd", data)
    for wrong, words in (
        (ways["i2cdump"].replace("10: ", "20: ", 1), "lines are missing"),
        (ways["i2cdump"].replace(lines[1].hex(" "), "XX " + lines[1].hex(" ")[3:], 1), "could not all be read"),
        ("".join(ways["capitals"].splitlines(keepends=True)[2:]), "begins at byte 32"),
    ):
        with pytest.raises(InputError, match=words):
            read_any(wrong.encode())


def test_a_total_without_its_unit_is_not_guessed() -> None:
    head = "       total   used   free\n"
    with pytest.raises(InputError, match="kB or MB"):
        read_any(f"{head}Mem:   32094   10233   17001\n".encode())
    assert read(f"{head}Mem:   65843212   10233000   17001000\n".encode())["usable"] == 62.793


@pytest.mark.parametrize(
    ("name", "code"),
    [("80CE", (1, 0x4E)), ("0x802C", (1, 0x2C)), ("859B0000859B", (6, 0x1B)), ("80CF", None), ("Quarrel", None), ("0000", None), ("1234", None)],
)  # fmt: skip
def test_makers_told_in_figures(name: str, code: tuple[int, int] | None) -> None:
    found = maker_in_figures(name)
    assert (found and (found.bank, found.code)) == code


@given(
    st.lists(
        st.text(st.characters(categories=("L", "N", "P", "Zs"), exclude_characters="<>&\xa0"), max_size=30), max_size=8
    )
)
def test_text_that_was_mailed_as_html_is_the_text(lines: list[str]) -> None:
    page = "<div>" + "<br>\r\n".join(line.replace(" ", "&nbsp;") for line in lines) + "</div>"
    assert unmailed(page).rstrip("\n") == "\n".join(lines).rstrip("\n")


def test_what_is_not_read_says_what_would_be() -> None:
    for text, command in (
        ("PS C:\\> Get-Thing\nnothing\n", "Get-CimInstance"),
        ("bash: lsmem: not found\n", "sudo dmidecode"),
    ):
        with pytest.raises(InputError) as refused:
            read_any(text.encode())
        assert (
            command in refused.value.faults[0].message
            and "begins nothing that is read here" in refused.value.faults[0].message
        )
    assert {w.kind for w in GUIDE} <= set(READERS) and all(w.tells and w.lacks for w in GUIDE)
