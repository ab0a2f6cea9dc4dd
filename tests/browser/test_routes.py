"""Routes and the Shelf: the wishes, the plot, a route opened, compared and planned; modules and offers by label and file."""

from __future__ import annotations

import re

from playwright.sync_api import Page, Route, expect

from tests.browser.conftest import SignIn
from tests.browser.hands import go_to, plan_shown
from tests.formats.spd_facts import Chip, fb_dimm


def open_routes(page: Page, machine: str, usable: str) -> None:
    page.get_by_role("link", name=machine, exact=True).click()
    go_to(page, "Routes")
    page.get_by_label("at least GB usable").fill(usable)
    page.get_by_label("at least GB usable").press("Enter")
    expect(page.get_by_role("region", name="Routes", exact=True)).to_be_visible()


def test_a_route_is_weighed_compared_and_planned(sign_in: SignIn) -> None:
    page = sign_in()
    open_routes(page, "hall-03", "478")
    expect(page.get_by_role("status")).to_contain_text("proved")
    official = page.get_by_role("row", name=re.compile("^Choose route B inside the"))
    expect(official).to_contain_text("296.00")
    page.get_by_role("button", name=re.compile("^A cheapest, fastest: 0 EUR")).locator("circle").last.click()
    opened = page.get_by_role("region", name="Route A")
    expect(opened).to_contain_text("4 x 16 GB HLV5R-16 and 2 x 16 GB QD5R-16 in")
    expect(opened).to_contain_text("Saves 296.00 EUR")
    opened.get_by_text("QD5R-16 runs on Halvard R24").click()
    expect(opened.get_by_text("It starts at 97 % (a part on no list: 0.97)")).to_be_visible()
    page.get_by_role("button", name="Pin route A").click()
    page.get_by_role("button", name="Pin route B").click()
    pinned = page.get_by_role("region", name="Pinned routes")
    expect(pinned.get_by_role("row", name=re.compile("^cost"))).to_contain_text("296.00 EUR")
    expect(pinned.get_by_role("row", name=re.compile("^usable"))).to_have_count(0)  # the same
    for letter in "AB":
        pinned.get_by_role("button", name=f"Unpin route {letter}").click()
    page.get_by_role("button", name="bandwidth").click()
    expect(page.get_by_role("group", name="Routes by cost and sustained bandwidth")).to_be_visible()
    page.get_by_role("button", name="Plan it: route B").click()
    expect(plan_shown(page)).to_have_text("6 x 16 GB HLV5R-16 in")
    page.get_by_role("button", name="Shelf", exact=True).click()
    expect(page.get_by_role("button", name=re.compile("16 GB")).filter(has_text="all 4 reserved")).to_be_disabled()
    page.get_by_role("link", name="Shelf").click()
    expect(page.get_by_role("row", name=re.compile("HLV5R-16.*0 of 4 free"))).to_contain_text("hall-03")


def test_a_wish_typed_while_an_answer_comes_is_kept(sign_in: SignIn) -> None:
    page = sign_in()
    page.get_by_role("link", name="hall-03", exact=True).click()
    held: list[Route] = []
    page.route("**/api/machines/*/routes", lambda route: held.append(route))
    with page.expect_request("**/api/machines/*/routes"):
        go_to(page, "Routes")
    wish = page.get_by_label("at least GB usable")
    wish.fill("1,234")
    held.pop().continue_()
    expect(page.get_by_role("region", name="Routes", exact=True)).to_be_visible()
    expect(wish).to_have_value("1,234")
    page.unroute("**/api/machines/*/routes")
    wish.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("may be 1234 or 1.234")
    wish.fill("478")
    wish.press("Enter")
    expect(page.get_by_role("row", name=re.compile("^Choose route B inside the"))).to_contain_text("296.00")


def test_wishes_narrow_and_what_stands_in_the_way_is_given_up(sign_in: SignIn) -> None:
    page = sign_in()
    open_routes(page, "hall-03", "478")
    page.get_by_role("button", name="listed parts only").click()
    expect(page.get_by_role("row", name=re.compile("QD5R"))).to_have_count(0)
    page.get_by_label("up to EUR").fill("100")
    page.get_by_label("up to EUR").press("Enter")
    none = page.get_by_role("heading", name="No way to that")
    expect(none).to_be_visible()
    page.reload()  # the wishes are in the address
    expect(none).to_be_visible()
    page.get_by_role("listitem").filter(has_text="the budget").get_by_role("button", name="Give it up").click()
    expect(page.get_by_role("row", name=re.compile("Choose route.*296.00"))).to_be_visible()
    expect(page.get_by_role("button", name="listed parts only")).to_have_attribute("aria-pressed", "true")
    page.get_by_role("button", name="cost", exact=True).click()
    expect(page.get_by_role("region", name="Routes", exact=True).get_by_role("row").nth(1)).to_contain_text("296.00")


def test_a_machine_for_which_nothing_is_at_hand(sign_in: SignIn) -> None:
    page = sign_in()
    page.get_by_role("link", name="wave-01", exact=True).click()
    go_to(page, "Routes")
    expect(page.get_by_text("Nobody offers these modules:")).to_be_visible()
    page.get_by_role("link", name="Put modules and offers on the Shelf").click()
    expect(page.get_by_role("heading", name="Shelf")).to_be_visible()


def test_modules_and_offers_come_by_label_and_by_file(sign_in: SignIn) -> None:
    page = sign_in()
    page.get_by_role("link", name="Shelf").click()
    page.get_by_role("button", name="Put on the Shelf").click()
    form = page.get_by_role("form", name="Put on the Shelf")
    form.get_by_label("Label").fill("32GB 2Rx8 PC5-4800B-RA0 P/N: HLV5R-32")
    expect(form.get_by_role("status")).to_contain_text("part HLV5R-32")
    form.get_by_label("How many").fill("3")
    form.get_by_label("Where").fill("crate 9")
    form.get_by_role("button", name="Put it there").click()
    row = page.get_by_role("row", name=re.compile("crate 9"))
    expect(row).to_contain_text("32 GB 2Rx8 DDR5-4800 registered")
    row.get_by_role("combobox").select_option("suspect")
    expect(row).to_contain_text("not for use")
    page.get_by_role("button", name="Add an offer").click()
    offer = page.get_by_role("form", name="Add an offer")
    offer.get_by_label("Label").fill("2x16GB DDR5-4800 RDIMM, tested")
    expect(offer.get_by_role("status")).to_contain_text("a kit of 2. Not understood: “tested”.")
    expect(offer.get_by_label("Modules in a kit")).to_have_value("2")
    offer.get_by_role("button", name="Cancel").click()
    page.get_by_label("Find on the Shelf").fill("32GB 2Rx8 PC5-4800B-R")
    expect(page.get_by_role("status")).to_contain_text("Read as 32 GB 2Rx8 DDR5-4800 registered")
    expect(page.get_by_role("row", name=re.compile("QD5R-32"))).to_be_visible()
    expect(page.get_by_role("row", name=re.compile("ZX4E"))).to_have_count(0)
    page.get_by_label("Find on the Shelf").fill("")

    page.get_by_role("button", name="Put on the Shelf").click()
    spd = fb_dimm(
        Chip(
            generation="DDR2",
            kind="fully-buffered",
            so_dimm=False,
            ecc_bits=8,
            ranks=2,
            dies=1,
            width=4,
            gbit=1,
            rate=667,
            part="LF2",
        )
    )
    form.get_by_label("or its SPD").set_input_files({"name": "bad.spd", "mimeType": "x/y", "buffer": spd[:50]})
    expect(form.get_by_role("alert")).to_contain_text("cut at 50 bytes")
    form.get_by_label("or its SPD").set_input_files({"name": "a.spd", "mimeType": "x/y", "buffer": spd})
    expect(form.get_by_role("status")).to_contain_text("SPD read: 4 GB 2Rx4 DDR2-667 fully-buffered, part LF2")
    form.get_by_role("button", name="Put it there").click()
    expect(page.get_by_role("row", name=re.compile("4 GB 2Rx4 DDR2-667 fully-buffered"))).to_be_visible()

    offers = page.get_by_role("region", name="Offers")
    offers.get_by_role("button", name="From a file").click()
    wrong = b"part,supplier,price,kit\nHLV5R-64,Tarn,cheap,2\n"
    offers.get_by_label("Choose the file").set_input_files({"name": "o.csv", "mimeType": "text/csv", "buffer": wrong})
    expect(page.get_by_role("alert")).to_contain_text("row 2, price")
    expect(page.get_by_role("button", name="Keep 0 rows")).to_be_disabled()
    # A supplier's own headings: what they mean is said.
    good = b"Nr,supplier,Preis,kit\nHLV5R-64,Tarn,901.50,2\n"
    offers.get_by_label("Choose the file").set_input_files({"name": "o.csv", "mimeType": "text/csv", "buffer": good})
    expect(page.get_by_role("alert")).to_contain_text("Which column is the part, which the price?")
    offers.get_by_label("What nr means").select_option("part")
    offers.get_by_label("What preis means").select_option("price")
    expect(offers).to_contain_text("901.50 EUR for 2")
    page.get_by_role("button", name="Keep 1 row").click()
    row = page.get_by_role("row", name=re.compile("HLV5R-64.*Tarn"))
    expect(row).to_contain_text("7.04")
    row.get_by_role("button", name="Remove").click()
    expect(row).to_have_count(0)
    page.get_by_role("button", name="Money").click()
    page.get_by_label("An hour of hands").fill("75")
    page.get_by_role("button", name="Keep", exact=True).click()
    # It closes when it is kept; the button would close it before.
    expect(page.get_by_label("An hour of hands")).to_have_count(0)
    page.get_by_role("button", name="Money").click()
    expect(page.get_by_label("An hour of hands")).to_have_value("75")


def test_the_need_is_a_line_across_what_can_be_reached(sign_in: SignIn) -> None:
    page = sign_in()
    page.get_by_role("link", name="hall-03", exact=True).click()
    go_to(page, "Target")
    expect(page.get_by_text("139 GB short")).to_be_visible()
    expect(page.get_by_text("It may be opened now")).to_be_visible()
    ladder = page.get_by_role("region", name="Totals it can reach").get_by_role("row")
    expect(ladder.nth(3)).to_contain_text("need 616.2")
    page.get_by_role("button", name="Another workload").click()
    page.get_by_label("Workload 3", exact=True).fill("archive")
    page.get_by_label("How many of workload 3").fill("4")
    page.get_by_label("GB each of workload 3").fill("50")
    page.get_by_label("For how many years").fill("0")
    page.get_by_role("button", name="Keep").click()
    expect(page.get_by_role("link", name="Target need 672.6 GB")).to_be_visible()  # (12 + 508.8 + 64) * 1.15
    page.reload()
    expect(page.get_by_role("link", name="Target need 672.6 GB")).to_be_visible()
    expect(page.get_by_label("Workload 3", exact=True)).to_have_value("archive")
    page.get_by_role("row", name=re.compile("^764")).get_by_role("link").first.click()
    expect(page.get_by_label("at least GB usable")).to_have_value("764")
    expect(page.get_by_role("button", name="listed parts only")).to_have_attribute("aria-pressed", "true")
    go_to(page, "Target")
    page.get_by_role("link", name="hall-01").click()
    expect(page.get_by_role("heading", name="hall-01")).to_be_visible()


def test_what_doubts_start_from_is_seen_by_all_and_set_by_a_lead(sign_in: SignIn) -> None:
    page = sign_in("lead")
    page.get_by_role("link", name="Field notes").click()
    page.get_by_role("button", name="What doubts start from").click()
    form = page.get_by_role("form", name="What doubts start from")
    row = form.get_by_role("row", name=re.compile("^a part on no list"))
    expect(row).to_contain_text("standards make most modules of the right kind work")
    page.get_by_label("a part on no list", exact=True).fill("7")
    form.get_by_role("button", name="Keep").click()
    expect(form.get_by_role("alert")).to_contain_text("a part on no list: from 0.01 to 1")
    page.get_by_label("a part on no list", exact=True).fill("0,8")
    form.get_by_role("button", name="Keep").click()
    expect(row).to_contain_text("set here; as it ships 0.97")
    page.get_by_role("link", name="Machines", exact=True).click()
    open_routes(page, "hall-03", "478")
    expect(page.get_by_role("status")).to_contain_text("proved")  # before that, A is what was found first
    page.get_by_role("button", name="Choose route A").click()
    expect(page.get_by_role("region", name="Route A")).to_contain_text(re.compile(r"Trouble: (2[0-9]|3[0-9])\s%"))


def test_the_plan_is_one_line_at_the_stations_before_fit(sign_in: SignIn) -> None:
    page = sign_in()
    page.get_by_role("link", name="hall-03", exact=True).click()
    line = page.get_by_role("link", name=re.compile("^Plan Even out CPU 2 go 480 → 576 GB, 43.4 GB short 4400 MT.s"))
    expect(line).to_have_count(0)
    for station in ("Ceiling", "Target", "Routes"):
        go_to(page, station)
        expect(line).to_contain_text("CPU2 F2 holds all back")
    line.click()
    expect(plan_shown(page)).to_have_text("Even out CPU 2")


def test_without_any_offer_a_need_leads_to_a_brief_an_offer_and_a_plan(sign_in: SignIn) -> None:
    """Nobody at a rack has a price list: what could be bought is told, what to look for, and what is found becomes an offer."""
    page = sign_in()
    page.get_by_role("link", name="Shelf").click()
    while (away := page.get_by_role("button", name=re.compile("^Remove the offer"))).count():
        left = away.count()
        away.first.click()
        expect(away).to_have_count(left - 1)
    page.get_by_role("link", name="Machines", exact=True).click()
    page.get_by_role("link", name="desk-03", exact=True).click()
    go_to(page, "Target")
    expect(page.get_by_text("Nobody offers these modules:")).to_be_visible()
    expect(page.get_by_role("row", name=re.compile("^35.9"))).to_contain_text("no price")
    page.get_by_role("row", name=re.compile("^35.9")).get_by_role("link").first.click()
    expect(page.get_by_role("group", name="Routes by handling and usable memory")).to_be_visible()
    page.get_by_role("button", name="Guess what a GB costs").click()
    guess = page.get_by_role("form", name="What a GB costs")
    guess.get_by_label("A GB of other makers").fill("2,5")
    guess.get_by_role("button", name="Keep").click()
    expect(page.get_by_text("Prices are your guess:")).to_be_visible()
    opened = page.get_by_role("region", name=re.compile("^Route [A-Z]$"))
    opened.get_by_role("button", name="What to look for in a shop").click()
    brief = opened.get_by_label("Brief")
    expect(brief.get_by_role("heading", name=re.compile("GB DDR3L-1333 ECC UDIMM$"))).to_be_visible()
    expect(brief).to_contain_text("RDIMM instead: registered and unbuffered modules cannot work in one machine")
    # What a shop has is put on the Shelf as an offer; from then on what is at hand is what counts.
    page.get_by_role("link", name="Shelf", exact=True).click()
    page.get_by_role("button", name="Add an offer").click()
    form = page.get_by_role("form", name=re.compile("offer", re.I))
    form.get_by_label("Part number").fill("ZX3E-8")
    form.get_by_label("Label, unless").fill("8GB 2Rx8 PC3L-10600E")
    form.get_by_label("Supplier").fill("Quay Parts")
    form.get_by_label("Price of a kit").fill("21.50")
    form.get_by_role("button", name="Add it").click()
    expect(page.get_by_role("row", name=re.compile("ZX3E-8"))).to_be_visible()
    page.get_by_role("link", name="Machines", exact=True).click()
    page.get_by_role("link", name="desk-03", exact=True).click()
    go_to(page, "Routes")
    expect(page.get_by_role("row", name=re.compile("ZX3E-8")).first).to_be_visible()
    expect(page.get_by_text("Nobody offers these modules:")).to_have_count(0)
    page.get_by_role("button", name=re.compile("^Plan it: route")).first.click()
    expect(plan_shown(page)).to_contain_text("GB")
    page.get_by_role("button", name="What to look for in a shop").click()
    expect(page.get_by_label("Brief")).to_be_visible()


def test_a_route_is_planned_in_stages_with_what_each_shows(sign_in: SignIn) -> None:
    page = sign_in()
    page.get_by_role("link", name="radar-02", exact=True).click()
    go_to(page, "Routes")
    opened = page.get_by_role("region", name="Route A")
    expect(opened).to_contain_text("the maker need not stand behind it")
    opened.get_by_role("button", name="In stages").click()
    expect(opened).to_contain_text("Shows ZX3S-8 runs on Ostrel T2")
    opened.get_by_role("button", name="Plan it so: One module first").click()
    expect(plan_shown(page)).to_contain_text("ZX3S-8")
    go_to(page, "Run")
    expect(page.get_by_text(re.compile("stage 1 of 2", re.I)).first).to_be_visible()


def test_what_plans_lack_is_bought_together(sign_in: SignIn) -> None:
    page = sign_in()
    page.get_by_role("link", name="Shelf", exact=True).click()
    page.get_by_role("link", name="What to buy").click()
    group = page.get_by_role("group", name="For")
    expect(group.get_by_role("checkbox")).to_have_count(4)
    expect(page.get_by_role("article", name="1 of 8 GB DDR4-2400 ECC SO-DIMM")).to_contain_text("Fjellheim")
    none = page.get_by_role("article", name="3 of 4 GB DDR3L-1333 ECC UDIMM")
    expect(none).to_contain_text("3 that nobody offers")
    # Left out of what is bought for, its lines are gone, and the address keeps it.
    group.get_by_role("checkbox", name=re.compile("desk-03")).uncheck()
    expect(none).to_have_count(0)
    page.reload()
    expect(group.get_by_role("checkbox", name=re.compile("desk-03"))).not_to_be_checked()
    with page.expect_download() as got:
        page.get_by_role("link", name="CSV").click()
    table = got.value.path().read_text()
    assert "FJM4T-8A" in table and "DDR3L-1333" not in table


def test_an_order_is_kept_read_in_and_what_is_wrong_goes_back(sign_in: SignIn) -> None:
    page = sign_in()
    page.get_by_role("link", name="Shelf", exact=True).click()
    page.get_by_role("link", name="What to buy").click()
    page.get_by_role("button", name="Ordered …").click()
    form = page.get_by_role("form", name="Ordered")
    form.get_by_role("combobox").select_option("Fjellheim")
    form.get_by_label("Reference").fill("B-7")
    form.get_by_label("Due on").fill("2026-01-01")
    form.get_by_role("button", name="It is ordered: 1 for 31.00 EUR").click()
    expect(form).to_contain_text("It cannot be due before it was ordered.")
    form.get_by_label("Due on").fill("2099-01-01")
    form.get_by_role("button", name="It is ordered").click()
    order = page.get_by_role("region", name="Order B-7")
    expect(order).to_contain_text("1 of 1 to come, due 2099-01-01")
    read = order.get_by_role("form", name="Read in of B-7")

    def came(label: str, serial: str) -> None:
        read.get_by_label("Label, part number or code").fill(label)
        read.get_by_label("Serial").fill(serial)
        read.get_by_label("Serial").press("Enter")

    came("spoon", "")
    expect(order.get_by_role("alert")).to_contain_text("says nothing of a module")
    came("4GB PC3L-12800U", "W1")
    expect(order).to_contain_text("size 4 GB instead of 8 GB")
    order.get_by_label("back under").fill("B-7-1")
    order.get_by_role("button", name="Send it back").click()
    expect(order).to_contain_text("goes back, B-7-1")
    came("FJM4T-8A", "R1")
    expect(order).to_contain_text("right as far as it was read")
    expect(order).to_contain_text("all here")
    page.get_by_role("link", name="What to buy").click()
    expect(page.get_by_role("article", name="1 of 8 GB DDR4-2400 ECC SO-DIMM")).to_contain_text("1 from the Shelf")


def test_what_runs_slower_than_now_is_shown_where_nothing_else_does(sign_in: SignIn) -> None:
    page = sign_in()
    page.get_by_role("link", name="gauge-01", exact=True).click()
    go_to(page, "Routes")
    expect(page.get_by_text("No way runs as fast as now:")).to_be_visible()
    expect(page.get_by_role("region", name="Route A")).to_contain_text("it runs slower than now")


def test_part_numbers_fill_what_is_open_of_a_whole_machine(sign_in: SignIn) -> None:
    page = sign_in()
    page.get_by_role("link", name="hall-03", exact=True).click()
    go_to(page, "Survey")
    key = page.url.split("/machines/")[1].split("/")[0]
    seen = page.request.get(f"/api/machines/{key}").json()
    bare = {"generation": "DDR5", "form": "DIMM", "capacity_gib": 16, "part": "QD5R-16"}
    slots = dict.fromkeys(list(seen["slots"])[:2], bare)
    page.request.post(
        f"/api/machines/{key}/surveys",
        data={"revision": seen["survey"]["revision"], "slots": slots},
        headers={"Origin": page.url.split("/machines")[0]},
    )
    page.reload()
    go_to(page, "Survey")
    more = page.get_by_role("region", name="Part numbers tell more")
    expect(more).to_contain_text("tells of 2 modules")
    more.get_by_role("button", name="Take all that part numbers tell").click()
    expect(more).to_have_count(0)
    told = page.request.get(f"/api/machines/{key}").json()["slots"]
    assert all(told[s]["rate_mts"] and told[s]["package_ranks"] for s in slots)
