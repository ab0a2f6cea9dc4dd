"""Whether what can be pressed stays where it is: each view opened with its reads answered late and in three orders.

python -m bench.steady             all of them
python -m bench.steady fit shelf   those named

What somebody aims at must not move away under the press because something above it came later. Told are buttons, links
and fields in the window that had rested and then moved by more than half of their own size without anybody's press.
"""

from __future__ import annotations

import sys
from typing import Any

from playwright.sync_api import Page, sync_playwright
from tests.browser.hands import CHROMIUM

from bench.pictures import LEAD, VIEWS, demo
from bench.screens import MORE, not_reached, signed_in
from umbrak.demo import seed

#: Of delays: each read has one of its own in each. [ms]
ORDERS = (1, 2, 3)
_LEAST, _MOST = 100, 1_300
#: When everything has come. [ms]
_SETTLED = 3_500
_LATE = """
(order) => {
  const fetched = window.fetch
  window.fetch = async (what, how) => {
    const path = String(what.url ?? what)
    if (path.includes('/api/')) {
      let mixed = order * 7919
      for (const letter of path) mixed = (mixed * 33 + letter.charCodeAt(0)) % 1000003
      await new Promise((done) => setTimeout(done, LEAST + (mixed % (MOST - LEAST))))
    }
    return fetched(what, how)
  }
}
""".replace("LEAST", str(_LEAST)).replace("MOST", str(_MOST))
_WATCH = """
() => {
  const places = new Map()
  window.moves = []
  const nameOf = (e) => (e.getAttribute('aria-label') || e.textContent || e.getAttribute('name') || '').trim().replace(/\\s+/g, ' ').slice(0, 40)
  const look = () => {
    const now = performance.now()
    for (const e of document.querySelectorAll('main button, main a, main input, main select, main textarea, main summary')) {
      const r = e.getBoundingClientRect()
      if (!r.width || !r.height) continue
      const [x, y] = [r.x + scrollX, r.y + scrollY]
      const was = places.get(e)
      const moved = was && (Math.abs(x - was.x) > r.width / 2 || Math.abs(y - was.y) > r.height / 2)
      if (moved && now - was.since > 200 && r.y < innerHeight)
        window.moves.push([`${e.tagName.toLowerCase()} ${nameOf(e)}`, Math.round(x - was.x), Math.round(y - was.y)])
      const still = was && Math.abs(x - was.x) < 1 && Math.abs(y - was.y) < 1
      places.set(e, { x, y, since: still ? was.since : now })
    }
    requestAnimationFrame(look)
  }
  addEventListener('DOMContentLoaded', () => requestAnimationFrame(look))
}
"""


def moves_of(page: Page, url: str, order: int) -> list[tuple[str, int, int]]:
    """What moved while the view was coming: what it is, by how far. [px]"""
    page.add_init_script(f"({_LATE})({order})")
    page.add_init_script(f"({_WATCH})()")
    page.goto(url)
    page.wait_for_timeout(_SETTLED)
    found: list[Any] = page.evaluate("window.moves")
    return [(str(what), int(across), int(down)) for what, across, down in found]


def main(names: list[str]) -> int:
    views = {**VIEWS, **MORE}
    if unknown := set(names) - set(views):
        sys.exit(f"no such view: {', '.join(sorted(unknown))}; there are {', '.join(views)}")
    moved = 0
    with demo() as address, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM)
        states = signed_in(browser, address)
        for name in names or views:
            state = states["lead" if name in LEAD or name in MORE else seed.ACCOUNT]
            context = browser.new_context(
                base_url=address, storage_state=state, viewport={"width": 1280, "height": 800}, reduced_motion="reduce"
            )
            context.set_default_timeout(20_000)
            page = context.new_page()
            if why := not_reached(page, views[name]):
                print(f"{name}: not reached, {why}", flush=True)
                moved += 1
                context.close()
                continue
            url = page.url
            page.close()
            found: dict[str, tuple[int, int]] = {}
            for order in ORDERS:
                page = context.new_page()
                found |= {what: (across, down) for what, across, down in moves_of(page, url, order)}
                page.close()
            print(f"{name}: {len(found) or 'all of it stays'}", flush=True)
            for what, (across, down) in found.items():
                print(f"    {what}: {across:+d} across, {down:+d} down", flush=True)
            moved += bool(found)
            context.close()
        browser.close()
    print(f"{moved} views in which something moves" if moved else "nothing moves")
    return 1 if moved else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
