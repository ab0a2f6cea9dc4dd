"""New machine: boards by answers, whatever is wrong with them, and what outlives a lost connection."""

from __future__ import annotations

import pytest
from playwright.sync_api import Route, expect

from tests.browser.conftest import Served, SignIn
from tests.browser.hands import go_to, see, slot
from tests.browser.kinds import KINDS, PC4_U, Kind, build, keep, verdict_of
from tests.formats.smbios_facts import Device, listing

#: Answers that any of them may take.
MOST = 25


#: As unlike each other as there are; all others are of the wide matrix.
SAMPLE = (
    "two SO-DIMM slots of DDR3",
    "soldered, one slot and a second behind",
    "three channels, the third with two",
    "two risers of six fully buffered",
    "four sockets, boards shared by two",
)


@pytest.mark.parametrize(
    "kinds",
    [
        pytest.param(SAMPLE, id="sample"),
        pytest.param(tuple(k for k in KINDS if k not in SAMPLE), id="others", marks=pytest.mark.wide),
    ],
)
def test_every_kind_is_built_by_answers(sign_in: SignIn, kinds: tuple[str, ...]) -> None:
    """By mouse and by keys in turn. What is right there is never a go without cause, what is wrong is a no-go."""
    page = sign_in()
    for i, (name, kind) in enumerate((k, KINDS[k]) for k in kinds):
        page.goto("/machines/new")
        given = build(page, name, kind, by_keys=i % 2 == 1)
        assert given <= MOST, f"{name}: {given} answers"
        later = page.get_by_role("region", name="What will be asked later")
        expect(later).to_contain_text("Could stop it")
        machine = keep(page, name)
        assert verdict_of(page, machine, "right", kind.label) in ("undecided", "go" if kind.slots == 1 else ""), name
        assert verdict_of(page, machine, "wrong", kind.wrong) == "no-go", name


def test_what_is_kept_before_its_board_is_seen_goes_into_the_slots_as_they_are_called(sign_in: SignIn) -> None:
    """The board is drawn by the server after each answer; whoever keeps it sooner waits for that, and loses nothing without it."""
    page = sign_in()
    page.get_by_role("link", name="New machine").click()
    build(page, "gauge-23", Kind(2, ["2 x 1"], PC4_U, PC4_U))
    first, press = (
        page.get_by_label("Name of the first slot"),
        page.get_by_role("button", name="Keep gauge-23, on to Ceiling"),
    )
    drawn = "**/api/boards"

    page.route(drawn, lambda route: route.abort())
    first.fill("DIMM_C")
    first.press("Enter")
    press.click()
    expect(page.get_by_text("The board cannot be seen as you say it now")).to_be_visible()
    with page.expect_response(drawn):  # a server that is back is asked once more: after that, by what is said alone
        page.unroute(drawn)

    held: list[Route] = []
    page.route(drawn, lambda route: held.append(route))
    with page.expect_request(drawn):
        first.fill("BANK1")
        first.press("Enter")
    press.click()
    expect(press).to_be_disabled()
    held[-1].continue_()  # those before it were given up for it
    expect(page.get_by_role("heading", name="gauge-23")).to_be_visible()
    go_to(page, "Survey")
    see(page, "BANK1", "fitted, 8 GB DDR4")


def test_what_is_said_of_a_slot_while_the_board_changes_is_said_of_that_slot_or_of_none(sign_in: SignIn) -> None:
    """The board that is seen is a moment older than the answers: its third slot is another one's fourth, or none at all."""
    page = sign_in()
    page.goto("/machines/new")
    page.get_by_role("button", name="2 x 2", exact=True).click()
    slots, names = page.locator("[data-slot]"), ["A1", "A2", "B1", "B2"]
    expect(slots).to_have_count(4)
    drawn = "**/api/boards"

    def meanwhile(preset: str, slot: str, front: str) -> None:
        held: list[Route] = []
        page.route(drawn, lambda route: held.append(route), times=1)
        with page.expect_request(drawn):
            page.get_by_role("button", name=preset, exact=True).click()
        page.locator(f'[data-slot="{slot}"]').click()
        page.get_by_label("Lies behind").select_option(label=front)
        held[0].continue_()

    meanwhile("2 x 1", "B2", "A2")  # neither is there any more
    expect(slots).to_have_count(2)
    expect(page.get_by_text("lies behind itself")).to_have_count(0)
    meanwhile("2 x 2", "B1", "A1")  # the second slot of two is the third of four
    expect(slots).to_have_count(4)
    expect(page.get_by_label("Lies behind").locator("option:checked")).to_have_text("A1")
    assert sorted(s.get_attribute("data-slot") or "" for s in slots.all()) == names

    with page.expect_response(drawn):  # a label tells of the board too
        page.get_by_label("Type what the label says").fill(PC4_U)
        page.get_by_label("Type what the label says").press("Enter")
    expect(page.get_by_text("In hand: ")).to_be_visible()
    held: list[Route] = []
    page.route(drawn, lambda route: held.append(route), times=1)
    with page.expect_request(drawn):
        page.get_by_label("Name of the first slot").fill("DIMM_A1")
        page.get_by_label("Name of the first slot").press("Enter")
    page.locator('[data-slot="B1"]').click()  # it is the same slot, which will be called otherwise
    held[0].continue_()
    expect(page.get_by_role("button", name="DIMM_B1, fitted")).to_be_visible()


def test_slots_that_a_list_leaves_out_are_on_the_board_and_not_looked_at(sign_in: SignIn) -> None:
    page = sign_in()
    page.goto("/machines/new")
    page.get_by_role("button", name="Drop or paste a report").click()
    lines = ["CPU1:", *(f"{n} 16GB 2Rx4 PC4-2400T-R" for n in ("A1", "B1", "C1")), "CPU2:", "A1 16GB 2Rx4 PC4-2400T-R"]
    page.get_by_label("Paste what it reports").fill("\n".join(lines))
    page.get_by_role("button", name="Read it").click()
    expect(page.get_by_text("64 GB seen, 4 of 6 slots")).to_be_visible()
    expect(
        page.get_by_text("CPU2 B1 and CPU2 C1 are not in it: the names or the count of its slots show them")
    ).to_be_visible()
    expect(page.get_by_text("every report has its slot")).to_be_visible()
    expect(page.get_by_text("Answers and report differ")).to_have_count(0)
    see(page, "CPU2 B1", "not known")
    page.get_by_role("button", name="The other 2 are empty").click()
    see(page, "CPU2 B1", "empty")


def test_answers_that_contradict_are_told_where_they_stand(sign_in: SignIn) -> None:
    page = sign_in()
    page.get_by_role("link", name="New machine").click()
    page.get_by_role("button", name="Drop or paste a report").click()
    devices = [Device(f"CPU{s}_DIMM_{c}1", 16384 if c == "A" else 0) for s in (1, 2) for c in "ABCD"]
    page.get_by_label("Paste what it reports").fill(listing(devices))
    page.get_by_role("button", name="Read it").click()
    expect(page.get_by_text("32 GB seen, 2 of 8 slots")).to_be_visible()

    # A channel fewer: both reported slots have no place, and are given one, or the board is as reported again.
    page.get_by_role("button", name="channels each: one fewer").click()
    odd = page.get_by_text("Answers and report differ")
    expect(odd).to_contain_text("2 reported slots have no place on the board")
    page.get_by_role("combobox", name="CPU1_DIMM_C1").select_option(label="left out")
    page.get_by_role("combobox", name="CPU1_DIMM_D1").select_option(label="CPU1_DIMM_C1")
    expect(odd).to_contain_text("2 reported slots have no place")  # another one is without a place now
    page.get_by_role("button", name="build it as the report has it").click()
    expect(odd).to_have_count(0)
    expect(page.get_by_text("every report has its slot")).to_be_visible()

    # Fewer processors than it tells.
    page.get_by_role("button", name="processors: one fewer").click()
    expect(odd).to_contain_text("the report tells 2 processors, the board has 1")
    page.get_by_role("button", name="build it as the report has it").click()
    expect(odd).to_have_count(0)

    # Another model than the report's.
    page.get_by_label("Model", exact=True).fill("K14")
    page.get_by_label("Model", exact=True).press("Enter")
    expect(page.get_by_text("The report is of another model: it says Lorne K12")).to_be_visible()
    page.get_by_role("button", name="It is that one").click()
    expect(page.get_by_text("The report is of another model")).to_have_count(0)

    # Names that collide, a board that cannot be shared, a module of another generation: each at its own answer.
    page.locator("[data-slot]").first.click()
    page.get_by_label("Printed at this slot").fill("CPU1_DIMM_D1" if page.get_by_label("Printed at this slot").input_value() != "CPU1_DIMM_D1" else "CPU1_DIMM_A1")  # fmt: skip
    page.get_by_label("Printed at this slot").press("Enter")
    expect(page.get_by_role("region", name="Processors, channels, slots").get_by_role("alert")).to_contain_text("2 slots are called CPU1_DIMM_")  # fmt: skip
    page.get_by_role("button", name="2 x 2").click()
    page.get_by_role("button", name="memory boards").click()
    boards = page.get_by_label("how many memory boards", exact=True)
    boards.fill("3")
    boards.press("Enter")
    expect(page.get_by_text("2 channels with slots cannot be shared evenly by 3 boards")).to_be_visible()
    page.get_by_role("button", name="DDR3", exact=True).click()
    expect(page.get_by_text("A module in it is DDR4, and the board is said to take DDR3")).to_be_visible()


def test_a_name_that_the_library_knows_leads_to_its_sheet(sign_in: SignIn) -> None:
    page = sign_in()
    page.get_by_role("link", name="New machine").click()
    page.get_by_label("Name", exact=True).fill("gauge-20")
    page.get_by_label("Make").fill("Fjell")
    page.get_by_role("button", name="2 x 2").click()
    page.get_by_label("Model", exact=True).fill("n2")
    page.get_by_label("Model", exact=True).press("Enter")
    page.get_by_role("button", name="Use the sheet of Fjell N2").click()
    expect(page.get_by_text("its sheet is in the library")).to_be_visible()
    page.get_by_role("button", name="Keep gauge-20").click()
    expect(page.get_by_role("heading", name="gauge-20")).to_be_visible()
    expect(page.get_by_text("0 of 1 known")).to_be_visible()


def test_a_press_counts_for_what_it_began_on_though_what_is_left_moves_it(sign_in: SignIn) -> None:
    page = sign_in()
    page.get_by_role("link", name="New machine").click()
    model = page.get_by_label("Model", exact=True)
    model.fill("Z9")
    # Leaving the field brings something above, as a refusal or what the library knows does.
    model.evaluate("""field => field.addEventListener('blur', () => {
      field.parentElement.after(Object.assign(document.createElement('div'), { style: 'height: 90px' }))
    }, { once: true })""")
    one, other = (page.get_by_role("button", name=n, exact=True) for n in ("DDR4", "DDR5"))
    before = one.bounding_box()
    assert before
    page.mouse.move(before["x"] + 10, before["y"] + 10)
    page.mouse.down()
    page.mouse.up()
    expect(one).to_have_attribute("aria-pressed", "true")
    after, beside = one.bounding_box(), other.bounding_box()
    assert after and beside and after["y"] > before["y"] + before["height"], "it moved from under the pointer"
    # Who drags off it has thought better of it.
    page.mouse.move(beside["x"] + 10, beside["y"] + 10)
    page.mouse.down()
    page.mouse.move(beside["x"] + 10, beside["y"] - 60)
    page.mouse.up()
    expect(other).to_have_attribute("aria-pressed", "false")
    expect(one).to_have_attribute("aria-pressed", "true")


def test_what_was_said_outlives_the_page(sign_in: SignIn) -> None:
    page = sign_in()
    page.get_by_role("link", name="New machine").click()
    page.get_by_label("Name", exact=True).fill("gauge-21")
    page.get_by_role("button", name="2 x 1").click()
    page.get_by_label("bays", exact=True).fill("4")
    page.get_by_label("bays", exact=True).press("Enter")
    page.get_by_role("button", name="1 not known").click()
    page.get_by_label("Written on the drive in bay 1").fill("FB4-71")
    page.get_by_role("button", name="Say so").click()
    expect(page.locator("[data-slot]")).to_have_count(2)
    page.reload()
    expect(page.get_by_text("This was begun before and not kept.")).to_be_visible()
    expect(page.get_by_label("Name", exact=True)).to_have_value("gauge-21")
    expect(page.locator("[data-slot]")).to_have_count(2)
    expect(page.get_by_role("button", name="1 FB4-71")).to_be_visible()
    page.get_by_role("button", name="Begin anew").click()
    expect(page.get_by_label("Name", exact=True)).to_have_value("")
    expect(page.locator("[data-slot]")).to_have_count(0)


def test_what_was_said_without_a_connection_is_sent_when_it_is_back(sign_in: SignIn, served: Served) -> None:
    page = sign_in()
    page.get_by_role("link", name="New machine").click()
    page.get_by_role("button", name="2 x 1").click()
    page.get_by_role("button", name="DDR4", exact=True).click()
    page.get_by_role("button", name="SO-DIMM", exact=True).click()
    expect(page.locator("[data-slot]")).to_have_count(2)
    served.kill()
    for field, text in (("Name", "gauge-22"), ("Make", "Ansel"), ("Model", "G22")):
        page.get_by_label(field, exact=True).fill(text)
        page.get_by_label(field, exact=True).press("Enter")
    page.get_by_role("button", name="Keep gauge-22, on to Ceiling").click()
    expect(page.get_by_text("1 thing said here waits for the connection")).to_be_visible()
    served.start()
    expect(page.get_by_text("said here waits")).to_have_count(0)
    page.get_by_role("link", name="Machines", exact=True).click()
    page.get_by_role("link", name="gauge-22", exact=True).click()
    go_to(page, "Survey")

    # At its Survey: two slots and a bay said one after the other, while nobody else surveys it.
    served.kill()
    slot(page, "A1").click()
    page.get_by_label("Type what the label says").fill("8GB 1Rx8 PC4-2400T-SA1-11")
    page.get_by_label("Type what the label says").press("Enter")
    expect(
        page.get_by_text("Kept here, and sent when there is a connection: gauge-22: A1 says 8GB 1Rx8")
    ).to_be_visible()
    page.get_by_role("button", name="Close this slot").click()
    slot(page, "B1").click()
    page.get_by_role("button", name="It is empty").click()
    expect(page.get_by_text("2 things said here wait for the connection")).to_be_visible()
    served.start()
    see(page, "A1", "fitted, 8 GB DDR4")
    see(page, "B1", "empty")
    expect(page.get_by_text("2 of 2 known")).to_be_visible()


def test_what_somebody_else_said_meanwhile_is_not_overwritten(sign_in: SignIn, served: Served) -> None:
    page, other = sign_in(), sign_in("lead")
    for each in (page, other):
        each.get_by_role("link", name="gauge-01", exact=True).click()
        go_to(each, "Survey")
    slot(page, "B1").click()
    page.context.set_offline(True)
    page.get_by_role("button", name="It is empty").click()
    expect(page.get_by_text("1 thing said here waits for the connection")).to_be_visible()
    slot(other, "B1").click()
    other.get_by_label("Type what the label says").fill("4GB 1Rx8 PC3L-12800S-11-12-B4")
    other.get_by_label("Type what the label says").press("Enter")
    see(other, "B1", "fitted, 4 GB")
    page.context.set_offline(False)
    expect(page.get_by_text("was not taken: The machine was surveyed again meanwhile")).to_be_visible()
    see(page, "B1", "fitted, 4 GB")
    page.get_by_role("button", name="Forget it").click()
    expect(page.get_by_text("was not taken")).to_have_count(0)


def test_machines_wait_for_their_model_and_one_sheet_makes_them_all(sign_in: SignIn) -> None:
    page = sign_in()
    devices = [Device(f"CPU{s}_DIMM_{c}1", 8192 if c == "A" else 0) for s in (1, 2) for c in "AB"]
    for name in ("desk-31", "desk-32"):
        page.get_by_role("link", name="New machine").click()
        page.get_by_label("Name", exact=True).fill(name)
        page.get_by_role("button", name="Drop or paste a report").click()
        page.get_by_label("Paste what it reports").fill(listing(devices))
        page.get_by_role("button", name="Read it").click()
        expect(page.get_by_text("Makes the sheet Lorne K12")).to_be_visible()
        page.get_by_role("button", name="Keep it, its board later").click()
        expect(page.get_by_role("heading", name="Machines", exact=True)).to_be_visible()
    page.get_by_role("link", name="New machine").click()
    page.get_by_label("Name", exact=True).fill("odd-31")
    page.get_by_role("button", name="Keep it, its board later").click()

    waiting = page.get_by_role("region", name="Machines that wait for a sheet")
    expect(waiting.get_by_role("listitem").filter(has_text="Lorne K12")).to_contain_text(
        "2 machines wait for its sheet"
    )
    expect(waiting.get_by_role("listitem").filter(has_text="model not known")).to_contain_text("odd-31")
    # Its name is taken meanwhile, and what is wrong is said at the field.
    page.get_by_role("link", name="New machine").click()
    page.get_by_label("Name", exact=True).fill("DESK-32")
    page.get_by_role("button", name="Keep it, its board later").click()
    expect(page.get_by_role("alert")).to_contain_text("A machine DESK-32 waits for its sheet already")
    page.get_by_role("link", name="Cancel").click()

    waiting.get_by_role("link", name="desk-31").click()
    expect(page.get_by_text("16 GB seen, 2 of 4 slots")).to_be_visible()
    page.get_by_role("button", name="Keep desk-31, on to Ceiling").click()
    expect(page.get_by_role("heading", name="desk-31")).to_be_visible()
    page.get_by_role("link", name="Machines", exact=True).click()
    waiting.get_by_role("button", name="Make it as Lorne K12").click()
    expect(waiting.get_by_role("status")).to_contain_text("1 machine made as Lorne K12")
    page.get_by_role("link", name="desk-32", exact=True).click()
    see(page, "CPU1_DIMM_A1", "fitted, 8 GB")
    page.get_by_role("link", name="Machines", exact=True).click()
    waiting.get_by_role("button", name="Forget odd-31").click()
    expect(waiting).to_have_count(0)
