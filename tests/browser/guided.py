"""Follows a guide to the letter: every sentence of its numbered lines that tells hands or eyes something is done.

    Press **New machine**.                       a button or link of that name, or one that begins so
    Press Enter.
    Tick what is to be looked at and press **A** until you see **B**.    again and again
    Tick what is to be looked at and press **A** once.
    Press slot **DIMM1**.                        on the board
    Type `16GB` into **Label**.                  into a field
    Choose **DDR4** in **Generation**.           in a list
    You see **go**.                              words on the page, or a name that a slot has
    Sign in as **lead**.                         another person, in a window of their own, on the same page
    Back in your own window.
    Waive **soak** because `practice`.           as a lead, in Proof

They may begin with words and a colon. A sentence that has none of these in it is read and passed over, but one that has bold words or code and is understood in no
way fails: nothing of the guide is left out by mistake.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from pathlib import Path

from playwright.sync_api import Locator, Page, expect

_B, _C = r"\*\*(.+?)\*\*", "`(.+?)`"
#: More presses of one button are no guide.
_MOST = 80


def steps_of(guide: Path) -> Iterator[str]:
    """Sentences of its numbered lines, in order."""
    for section in guide.read_text("utf-8").split("\n## ")[1:]:
        if "<!-- page: " not in section:
            continue  # done in a shell
        for told in re.findall(r"^\d+\. (.+)$", section, re.M):
            # A sentence ends where the next begins with a capital letter.
            yield from re.split(r"(?<=[.:])\s+(?=[A-Z])|(?<=:) (?=press )", told)


def pressed(page: Page, name: str) -> Locator:
    """What is pressed by that name: as it is told, or beginning so."""
    exact = page.get_by_role("button", name=name, exact=True).or_(page.get_by_role("link", name=name, exact=True))
    begins = re.compile("^" + re.escape(name))
    like = page.get_by_role("button", name=begins).or_(page.get_by_role("link", name=begins))
    expect(exact.or_(like).first).to_be_visible()
    return exact.first if exact.count() else like.first


def _seen(page: Page, words: str) -> Locator:
    """On the page itself, not in the walk beside it, which says the same words."""
    told = page.get_by_text(words).or_(page.get_by_label(words)).or_(page.get_by_role("button", name=words))
    return told.locator("xpath=self::*[not(ancestor::section[@aria-label='First walk'])]").locator("visible=true").first


class Follower:
    def __init__(self, page: Page, sign_in: Callable[[str], Page]) -> None:
        self.page = self.own = page
        self.sign_in = sign_in
        self.pages: dict[str, Page] = {}

    def follow(self, sentence: str) -> bool:
        """Whether it was something to do or to see."""
        for pattern, act in _ACTS:
            if told := re.fullmatch(pattern + r"[.:;]?", sentence.strip()):
                act(self, *told.groups())
                return True
        # What is only told, and what one does outside of the tool.
        assert "**" not in sentence and "`" not in sentence, f"not understood: {sentence}"
        return False

    def press(self, name: str) -> None:
        pressed(self.page, name).click()

    def enter(self) -> None:
        self.page.keyboard.press("Enter")

    def tick_until(self, name: str, words: str) -> None:
        for _ in range(_MOST):
            if not self._tick(name, until=words):
                return
        raise AssertionError(f"{name} pressed {_MOST} times, and {words} never seen")

    def tick_once(self, name: str) -> None:
        self._tick(name)

    def _tick(self, name: str, until: str = "") -> bool:
        """One step; False where the words that end it are there instead."""
        expect(self.page.get_by_role("region", name="The step at hand")).to_be_visible()
        heading = self.page.locator("h1").first.inner_text()
        for box in self.page.get_by_role("checkbox").all():
            box.check()
        button = self.page.get_by_role("button", name=name, exact=True)
        expect(button.or_(_seen(self.page, until)).first if until else button).to_be_visible()
        if until and _seen(self.page, until).count():
            return False
        button.click()
        expect(self.page.locator("h1").first).not_to_have_text(heading)
        return True

    def waive(self, what: str, why: str) -> None:
        item = self.page.get_by_role("listitem").filter(has_text=re.compile(f"^ *{what}", re.I))
        item.get_by_role("button", name="Waive").click()
        item.get_by_role("textbox").fill(why)
        item.get_by_role("button", name="Go on without it").click()
        expect(item.get_by_role("button", name="Go on without it")).to_have_count(0)

    def slot(self, name: str) -> None:
        self.page.locator(f'[data-slot="{name}"]').click()

    def type(self, typed: str, label: str) -> None:
        self.page.get_by_label(label, exact=True).first.fill(typed)

    def choose(self, option: str, label: str) -> None:
        # The words of a list stand in its label too.
        self.page.get_by_label(re.compile(rf"^\s*{re.escape(label)}")).first.select_option(label=option)

    def see(self, words: str) -> None:
        expect(_seen(self.page, words)).to_be_visible()

    def sign_in_as(self, name: str) -> None:
        _all_sent(self.page)
        if name not in self.pages:
            self.pages[name] = self.sign_in(name)
        self.pages[name].goto(self.own.url)
        self.page = self.pages[name]

    def back(self) -> None:
        """What the other did comes to one's own window by itself."""
        if _all_sent(self.page):
            expect(self.own.locator("h1").first).to_have_text(self.page.locator("h1").first.inner_text())
        self.page = self.own


def _all_sent(page: Page) -> bool:
    """Whether it is at the bench; what was ticked there is known to everybody then."""
    if not page.get_by_role("region", name="The step at hand").count():
        return False
    expect(page.get_by_text("Every tick is sent")).to_be_visible()
    return True


_TICK = "Tick what is to be looked at and press"
_ACTS: tuple[tuple[str, Callable[..., None]], ...] = (
    (f"{_TICK} {_B} until you see {_B}", Follower.tick_until),
    (f"{_TICK} {_B} once", Follower.tick_once),
    (f"Press slot {_B}", Follower.slot),
    ("Press Enter", Follower.enter),
    (f"[Pp]ress {_B}(?:: [^*`]*)?", Follower.press),
    (f"Type {_C} into {_B}", Follower.type),
    (f"Choose {_B} in {_B}", Follower.choose),
    (f"You see {_B}", Follower.see),
    (f"Sign in as {_B}(?:: [^*`]*)?", Follower.sign_in_as),
    ("Back in your own window", Follower.back),
    (f"Waive {_B} because {_C}", Follower.waive),
)
