"""Machines that no sheet knows, each as the answers that build its board: by mouse or by keys, never by text of a sheet."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from playwright.sync_api import Page, expect

PC3L_SO, PC3L_U, PC3L_R = "8GB 2Rx8 PC3L-12800S-11-11-F3", "8GB 2Rx8 PC3L-12800U-11-11-B1", "8GB 2Rx4 PC3L-10600R-9-11-E2"  # fmt: skip
PC4_SO, PC4_U, PC4_R = "8GB 1Rx8 PC4-2400T-SA1-11", "8GB 1Rx8 PC4-2400T-UA2-11", "16GB 2Rx4 PC4-2400T-RB1-11"
PC5_U, PC5_R, PC2_F = "16GB 1Rx8 PC5-4800B-UA0-1010-XT", "32GB 2Rx8 PC5-4800B-R", "4GB 2Rx4 PC2-5300F-555-11-E0"


@dataclass(frozen=True)
class Kind:
    """One board: what is pressed and what is written, in order; a label of a module in it; one that is wrong there."""

    slots: int
    #: "press" = a button by its name; (field, text) = written into it.
    answers: Sequence[str | tuple[str, str]]
    label: str
    wrong: str
    cls: str = "server"


def _counts(processors: int, channels: int, slots: int) -> list[str | tuple[str, str]]:
    return [("processors", str(processors)), ("channels each", str(channels)), ("slots a channel", str(slots))]


KINDS: dict[str, Kind] = {
    "two SO-DIMM slots of DDR3": Kind(2, ["2 x 1", ("Name of the first slot", "DIMM_A")], PC3L_SO, PC4_SO, "appliance"),
    "one slot": Kind(1, ["one slot", ("Name of the first slot", "DIMM")], PC4_SO, PC3L_SO, "appliance"),
    **{
        f"{gib} GB soldered and one slot": Kind(1, ["soldered, 1", ("Soldered GB", gib)], PC3L_SO, PC4_SO, "appliance")
        for gib in ("2", "3", "8", "12")
    },
    "soldered, one slot and a second behind": Kind(
        2, ["soldered, 1", ("Soldered GB", "2"), ("slots a channel", "2"), "@behind"], PC3L_SO, PC4_SO, "appliance"
    ),
    "four unbuffered slots of DDR3": Kind(4, ["2 x 2"], PC3L_U, PC4_U, "workstation"),
    "four unbuffered slots of DDR4": Kind(4, ["2 x 2"], PC4_U, PC3L_U, "workstation"),
    "four unbuffered slots of DDR5": Kind(4, ["2 x 2"], PC5_U, PC4_U, "workstation"),
    "eight slots of four channels": Kind(8, ["4 x 2"], PC4_R, PC3L_R, "workstation"),
    **{
        f"three channels of {n} on a tray": Kind(
            3 * n, [*_counts(1, 3, n), "tray", ("Name of the first slot", "1")], PC3L_R, PC4_R
        )
        for n in (1, 2, 3)
    },
    "three channels, the third with two": Kind(
        4, [*_counts(1, 3, 1), "channels differ", ("slots of channel C", "2")], PC3L_U, PC4_U, "workstation"
    ),
    "two risers of six fully buffered": Kind(12, ["2 risers"], PC2_F, PC3L_R, "workstation"),
    **{
        f"two sockets of {c} channels of {n}": Kind(
            2 * c * n, [*_counts(2, c, n), ("Name of the first slot", "P1_DIMM_A1")], PC5_R if c > 6 else PC4_R, PC3L_R
        )
        for c in (4, 6, 8, 12)
        for n in (1, 2)
    },
    "four sockets with a board of sixteen": Kind(64, ["boards"], PC4_R, PC3L_R),
    "four sockets, boards shared by two": Kind(64, ["boards", ("how many memory boards", "2")], PC4_R, PC3L_R),
    "eight sockets": Kind(96, [*_counts(8, 6, 2), ("Name of the first slot", "CPU1_DIMM_A1")], PC4_R, PC3L_R),
}


def build(page: Page, name: str, kind: Kind, *, by_keys: bool = False) -> int:
    """Answer what it takes on the screen of a new machine, ready to be kept; gives how many answers that were."""
    given = 0

    def write(field: str, text: str) -> None:
        nonlocal given
        box = page.get_by_label(field, exact=True)
        if by_keys:
            box.focus()
            page.keyboard.press("Control+a")
            page.keyboard.insert_text(text)
        else:
            box.fill(text)
        page.keyboard.press("Enter") if by_keys else box.press("Enter")
        given += 1

    def press(word: str) -> None:
        nonlocal given
        button = page.get_by_role("button", name=word, exact=True)
        if by_keys:
            button.focus()
            page.keyboard.press("Space")
        else:
            button.click()
        given += 1

    write("Name", name)
    press(kind.cls)
    write("Make", "Ansel")
    write("Model", name)
    for answer in kind.answers:
        if answer == "@behind":
            expect(page.locator("[data-slot]")).to_have_count(kind.slots)
            page.locator("[data-slot]").last.click()
            expect(page.get_by_label("Lies behind")).to_be_visible()
            page.get_by_label("Lies behind").select_option(index=1)
            given += 2
        elif isinstance(answer, str):
            press(answer)
        else:
            write(*answer)
    expect(page.locator("[data-slot]")).to_have_count(kind.slots)
    write("Type what the label says", kind.label)
    expect(page.get_by_text("In hand: ")).to_be_visible()
    expect(page.locator("[data-slot]:focus")).to_have_count(1)
    page.keyboard.press("Enter")  # into the slot where the focus is
    page.keyboard.press("Escape")
    given += 1
    expect(page.get_by_text(f"seen, 1 of {kind.slots} slot")).to_be_visible()
    if kind.slots > 1:
        press(f"The other {kind.slots - 1} are empty" if kind.slots > 2 else "The other slot is empty")
    return given


def keep(page: Page, name: str) -> str:
    """Keep it; gives the machine's id."""
    page.get_by_role("button", name=f"Keep {name}, on to Ceiling").click()
    expect(page.get_by_role("heading", name=name)).to_be_visible()
    return page.url.split("/machines/")[1].split("/")[0]


def verdict_of(page: Page, machine: str, name: str, label: str) -> str:
    """The verdict of a plan with one more such module, or with it in the one slot."""
    see = page.request.get(f"/api/machines/{machine}").json()
    free = [s["id"] for s in see["board"]["slots"] if s["id"] not in see["slots"]] or [see["board"]["slots"][0]["id"]]
    goal = {**see["slots"], free[0]: label}
    made = page.request.post(
        f"/api/machines/{machine}/plans", data={"name": name, "goal": goal}, headers={"Origin": page.url.split("/machines")[0]}
    )  # fmt: skip
    assert made.ok, made.text()
    return str(made.json()["evaluation"]["verdict"])
