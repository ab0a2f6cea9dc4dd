"""What can be measured of a page as it is seen: what axe-core finds, what is cut off or small, what a finger misses."""

from __future__ import annotations

from playwright.sync_api import Page, TimeoutError

from tests.browser.hands import serious_faults

#: Looked for on the page as drawn: [kind, what] each. Text in an SVG is scaled with it, so sizes are those on screen.
#: 2.5.8 and 2.5.5 of WCAG except targets inside a sentence; slots are reached by zoom and keys as well.
_SEEN = """(touch) => {
  const faults = [];
  const shown = (e) => e.checkVisibility({opacityProperty: true, visibilityProperty: true}) && !e.closest('.visually-hidden') && [...ancestors(e)].every((a) => getComputedStyle(a).clipPath !== 'inset(50%)');
  const named = (e) => `${e.localName}${e.className && e.className.baseVal === undefined ? '.' + String(e.className).trim().split(/\\s+/).join('.') : ''} "${(e.getAttribute('aria-label') || e.textContent || '').trim().replace(/\\s+/g, ' ').slice(0, 40)}"`;
  const root = document.scrollingElement;
  if (root.scrollWidth > root.clientWidth + 1) faults.push(['sideways', `${root.scrollWidth} in ${root.clientWidth}`]);
  for (const e of document.querySelectorAll('body *')) {
    const own = [...e.childNodes].filter((n) => n.nodeType === 3 && n.data.trim());
    if (!own.length || ['SCRIPT', 'STYLE', 'TITLE', 'OPTION'].includes(e.nodeName) || !shown(e)) continue;
    const svg = e.ownerSVGElement;
    const m = svg && e.getScreenCTM();
    const px = parseFloat(getComputedStyle(e).fontSize) * (m ? Math.hypot(m.a, m.b) : 1);
    if (px < 10.99) faults.push(['small', `${px.toFixed(1)} px ${named(e)}`]);
    const range = document.createRange();
    for (const n of own) {
      range.selectNodeContents(n);
      const r = svg ? e.getBoundingClientRect() : range.getBoundingClientRect();
      if (!r.width || !r.height) continue;
      let cut = null;
      let fixed = getComputedStyle(e).position === 'fixed';
      for (let a = svg || e; a && a !== document.body; a = a.parentElement) {
        const style = getComputedStyle(a);
        const box = a.getBoundingClientRect();
        const hidesX = ['hidden', 'clip'].includes(style.overflowX) || a === svg;
        const rollsX = ['auto', 'scroll'].includes(style.overflowX);
        const hidesY = ['hidden', 'clip'].includes(style.overflowY) || a === svg;
        if (hidesX && (r.left < box.left - 1.5 || r.right > box.right + 1.5)) { cut = a; break; }
        // A picture that was brought nearer shows a part of itself.
        if (hidesY && (r.top < box.top - 3 || r.bottom > box.bottom + 3)) { cut = a; break; }
        if (rollsX) break;
        if (style.position === 'fixed') { fixed = true; break; }
      }
      if (!cut && (r.left < -1 || (r.right > root.clientWidth + 1 && ![...ancestors(e)].some((a) => ['auto', 'scroll'].includes(getComputedStyle(a).overflowX))))) cut = document.body;
      if (cut && !(svg && svg.dataset.near)) faults.push(['cut', `${named(e)} by ${cut === document.body ? 'the window' : named(cut).split(' "')[0]}`]);
    }
  }
  function* ancestors(e) { for (let a = e; a; a = a.parentElement) yield a; }
  const least = touch ? 44 : 24;
  for (const e of document.querySelectorAll('a[href], button, input, select, textarea, summary, [role=button], [role=tab], [role=option], [role=radio], [role=checkbox]')) {
    if (!shown(e) || e.ownerSVGElement || e.disabled || e.type === 'hidden') continue;
    const around = e.closest('label');
    const boxes = [e, ...(around ? [around] : []), ...(e.labels || [])].map((x) => x.getBoundingClientRect());
    const width = Math.max(...boxes.map((b) => b.width)), height = Math.max(...boxes.map((b) => b.height));
    if (!width || !height) continue;
    const style = getComputedStyle(e);
    const inText = style.display === 'inline' && [...e.parentElement.childNodes].some((n) => n.nodeType === 3 && n.data.trim().length > 1);
    if (inText) continue;
    if (width < least - 0.5 || height < least - 0.5) faults.push(['target', `${Math.round(width)}x${Math.round(height)} ${named(e)}`]);
  }
  return faults;
}"""


def faults_of(page: Page, touch: bool = False, patience: float | None = None) -> list[tuple[str, str]]:
    """What is wrong with a page once it stands: (kind, what) each; [] where nothing is.

    A board is drawn again when its room changes, so faults count only if they stay for `patience` [ms] (as long as
    anything is waited for where it is not said).
    """
    page.evaluate("document.fonts.ready")
    try:
        page.wait_for_function(f"(touch) => ({_SEEN})(touch).length === 0", arg=touch, timeout=patience, polling=200)
        seen = []
    except TimeoutError:
        seen = page.evaluate(_SEEN, touch)
    return [(kind, what) for kind, what in [*seen, *serious_faults(page)]]


def check(page: Page, where: str, touch: bool = False) -> None:
    """Nothing is wrong with what is shown."""
    found = faults_of(page, touch)
    assert not found, f"{where}: {found[:12]}"
