"""What the light commands print for people."""

from __future__ import annotations

from collections import Counter
from typing import Any

from umbrak.core.memory.module import member_words, value_words


def label_words(result: dict[str, Any]) -> str:
    lines = [result["text"]]
    derived = set(result["derived"])
    for name, value in result["module"].items():
        if value in (None, []):
            continue
        follows = "  (follows)" if name in derived else ""
        lines.append(f"  {member_words(name):16} {value_words(name, value)}{follows}")
    if result["kit"]:
        lines.append(f"  kit of {result['kit']}")
    lines += [f"  ! {c}" for c in (*result["contradictions"], *result["remarks"])]
    if result["not_understood"]:
        lines.append("  not understood: " + ", ".join(f"“{p['text']}”" for p in result["not_understood"]))
    return "\n".join(lines)


def spd_words(result: dict[str, Any]) -> str:
    m = result["module"]
    words = [
        f"{m['capacity_gib'] or '?'} GB",
        m["generation"],
        m["form"],
        m["buffering"],
        f"{m['rate_mts'] or '?'} MT/s",
    ]
    if m["package_ranks"] and m["device_width"]:
        words.insert(1, f"{m['package_ranks']}Rx{m['device_width']}")
    lines = [" ".join(str(w) for w in words if w)]
    if m["rails_v"]:
        lines.append(f"  rails     {' or '.join(map(str, m['rails_v']))} V")
    for name in ("part", "revision", "serial", "timing", "die_gbit", "height_mm"):
        if m[name] is not None:
            lines.append(f"  {name:9} {m[name]}")
    if m["maker_code"]:
        lines.append(f"  maker     bank {m['maker_code']['bank']}, code {m['maker_code']['code']:02X}")
    lines.append(f"  checksums {'right' if result['crc_ok'] else 'WRONG'}")
    return "\n".join([*lines, *(f"  ! {w['where']}: {w['message']}" for w in result["warnings"])])


def reading_words(result: dict[str, Any]) -> str:
    if result["kind"] == "spd":
        return spd_words(result)
    system = result["system"] or {}
    lines = [
        " ".join(str(v) for v in (system.get("maker"), system.get("model"), system.get("serial")) if v)
        or result.get("description")
        or "unnamed machine"
    ]
    if result.get("virtual"):
        from umbrak.core.platform.survey import OF_A_GUEST  # loaded already where anything was read

        lines.append(f"  ! {OF_A_GUEST}")
    totals = {"installed_gib": "installed", "usable_gib": "usable"}
    lines += [f"  {result[name]:.4g} GB {words} in all" for name, words in totals.items() if name in result]
    lines += [f"  claims {a['max_gib']:g} GB at most" for a in result["arrays"] if a["max_gib"]]
    for p in result["processors"]:
        lines.append(
            f"  {p['socket'] or 'socket'}: {p['model'] or ('empty' if p['populated'] is False else 'unknown')}"
        )
    times = Counter(slot["locator"] for slot in result["slots"])
    for slot in result["slots"]:
        m, name = slot["module"], slot["locator"]
        if slot["bank"] and (name is None or times[name] > 1):  # many firmwares call a slot of every channel alike
            name = " ".join(filter(None, (slot["bank"], name)))
        what = (
            slot["state"]
            if m is None
            else f"{m['capacity_gib'] or '?'} GB {m['generation'] or ''} {m['rate_mts'] or ''} {m['buffering'] or ''}".rstrip()
        )
        if slot["state"] in ("failed", "soldered") and m is not None:
            what += f", {slot['state']}"
        health = slot.get("health") or {}
        counted = [f"{health[n]} {n} errors" for n in ("correctable", "uncorrectable") if health.get(n)]
        lines.append("  ".join([f"  {name or 'unnamed slot':24} {what}", *counted]))
    lines += [
        f"  bay {d['bay'] or '?'}: {d['model'] or 'drive'} {d['serial'] or ''}".rstrip()
        for d in result.get("drives", [])
    ]
    lines += [f"  ! {w['where']}: {w['message']}" for w in result["warnings"]]
    return "\n".join(lines)


def check_words(result: dict[str, Any]) -> str:
    lines = _evaluation_words(result)
    if goal := result.get("goal"):
        lines += ["goal", *_evaluation_words(goal)]
    return "\n".join(lines)


def _evaluation_words(e: dict[str, Any]) -> list[str]:
    rate = f"{e['data_rate_mts']} MT/s" if e["data_rate_mts"] else "rate not told"
    bound = ", ".join(b["by"] for b in e["bound_by"])
    rails = ", ".join(
        f"{r['volts']} V" if r["volts"] else "rail undecided" if r["possible"] else "no rail suits all"
        for r in e["rails"]
    )
    verdict = e["verdict"] + (f" (could become {e['at_worst']})" if e["verdict"] == "undecided" else "")
    installed = f"{'at least ' if e['not_counted'] else ''}{e['installed_gib']:g} GB installed"
    most = "at most " if e["tolerance_gib"] is None and not e["not_counted"] else ""
    lines = [
        f"{verdict}: {installed}, {most}{e['usable_gib']:g} usable, {rate}{f' (bound by {bound})' if bound else ''}, {rails}"
    ]
    for s in e["sockets"]:
        untold = "balance not told" if s["gib"] else "empty"
        balance = untold if s["balance"] is None else f"balance {s['balance']:.2f}"
        speed = f", {s['sustained_gbs']:g} of {s['peak_gbs']:g} GB/s" if s["sustained_gbs"] is not None else ""
        lines.append(f"  {s['id']}: {s['gib']:g} GB, {balance}{speed}")
    for f in e["findings"]:
        lines.append(f"  {f['severity']:5} {f['code']:20} {f['message']}")
        if f["cure"]:
            cost = f", loses {f['cure']['loses_gib']:g} GB" if f["cure"]["loses_gib"] else ""
            lines.append(f"{'':28}cure: {'; '.join(_action_words(a) for a in f['cure']['actions'])}{cost}")
    return lines


def _action_words(action: dict[str, Any]) -> str:
    places = [action["from"] and f"from {action['from']}", action["to"] and f"to {action['to']}"]
    return " ".join([action["do"].replace("-", " "), *(p for p in places if p)])


def lint_words(result: dict[str, Any]) -> str:
    lines = []
    for sheet in result["sheets"]:
        for f in sheet["findings"]:
            lines.append(
                f"{result['file']}: line {f['line']}, column {f['column']}: {f['path']}: {f['message']} [{f['code']}]"
            )
        if not sheet["findings"]:
            lines.append(f"{result['file']}: {sheet['id']} is clean, {sheet['slots']} slots")
    return "\n".join(lines)


_WISH_WORDS = {
    "usable_gib": "the usable total",
    "budget": "the budget",
    "keep_warranty": "leaving closed what ends the warranty",
    "third_party": "parts on the maker's list only",
    "over_official": "staying within the official total",
    "free_slots": "the slots left free",
    "rate_mts": "the least data rate",
    "keep_fitted": "keeping what is fitted",
    "top_trouble": "the most trouble",
    "uneven": "even layouts only",
    "less_memory": "no less memory than now",
    "less_bandwidth": "no less bandwidth than now",
    "move_content": "leaving what keeps its content where it is",
}


def routes_words(result: dict[str, Any]) -> str:
    return "\n".join([*(f"left out: {words}" for words in result["left_out"]), _found_words(result)])


def _found_words(result: dict[str, Any]) -> str:
    if result["ended"] == "no time":
        return "no route was found in the time there was, and there may be some: give more --seconds"
    if not result["routes"]:
        if not result["relax"] and not result["relax_proved"]:
            return "no route; which wish stands in its way was not found out in the time there was"
        if not result["relax"]:
            return "no route: nothing at hand fits this machine, whatever wish is given up"
        options = [" and ".join(_WISH_WORDS[w] for w in names) for names in result["relax"]]
        more = [] if result["relax_proved"] else ["there may be others: not all were found out in the time there was"]
        return "\n".join(["no route; there is one without", *(f"  {o}" for o in options), *more])
    lines = (
        [
            "nobody offers these modules: they are more of what is fitted, and what the standards have and the sheet takes"
        ]
        if result["assumed"]
        else []
    )
    if result["gave_up"]:
        lines.append(f"none without giving up {' and '.join(_WISH_WORDS[w] for w in result['gave_up'])}; these do:")
    for r in result["routes"]:
        low, high = r["trouble_range"]
        rate = f"{r['data_rate_mts']} MT/s" if r["data_rate_mts"] else "rate not told"
        more, gains = r["more_sustained_gbs"], r["more_usable_gib"]
        against = f" ({gains:+g} GB" + (f", {more:+g} GB/s)" if more is not None and abs(more) >= 0.1 else ")")
        fast = "bandwidth not told" if r["sustained_gbs"] is None else f"{r['sustained_gbs']:g} GB/s"
        names = f"  ({', '.join(r['names'])})" if r["names"] else ""
        lines.append(
            (
                f"{r['verdict']}: {r['cost']} {r['currency'] or ''}".rstrip()
                if r["cost"]
                else f"{r['verdict']}: no price"
            )
            + f", {r['usable_gib']:g} GB usable, {rate}, {fast}{against}, {r['free_slots']} free, "
            + f"{r['touches']} touches, trouble {r['trouble']:.0%} ({low:.0%} to {high:.0%}){names}"
        )
        lines += [
            f"    buy {b['count']} of {b['part']}" + (f", {b['price']}" if b["price"] else "")
            for b in r["buy"]
            if b["from"] != "shelf"
        ]
        lines += [f"    take {b['count']} of {b['part']} from the shelf" for b in r["buy"] if b["from"] == "shelf"]
    if result["slower"]:
        lines.append("ways that leave less bandwidth than now are left out (wish less_bandwidth: true)")
    if not result["proved"]:
        lines.append(f"not all was looked at: the cheapest could be {result['gap']:.1%} cheaper at most")
    return "\n".join(lines)


def brief_words(result: dict[str, Any]) -> str:
    return result["text"] or "nothing to buy: the goal needs no module that is not there"


def run_sheet_words(result: dict[str, Any]) -> str:
    """The steps by phase, a box before each, with what they need, and the way back at hold points."""
    lines = [f"{result['title']}: {len(result['steps'])} steps, down for {_minutes(result['down'])}"]
    phase = ""
    for number, step in enumerate(result["steps"], 1):
        if step["phase"] != phase:
            phase = step["phase"]
            lines += ["", phase]
        took = f"  {_minutes(step['minutes'])}" if step["minutes"]["high"] else ""
        lines.append(f"{number:4} [ ] {'HOLD: ' if step['hold'] else ''}{step['text']}{took}")
        if step["why"]:
            lines.append(f"{'':9}why: {step['why']}")
        if step["tools"]:
            lines.append(f"{'':9}with: {', '.join(step['tools'])}")
        lines += [f"{'':9}- {d}" for d in step["details"]]
        lines += [f"{'':9}[ ] {c}" for c in step["checks"]]
        if step["proves"]:
            lines.append(f"{'':9}Proof ticks this, when it has it")
        if step["hold"]:
            lines += [f"{'':9}a second person or a lead ticks this"] if step["who"] == "second" else []
            lines += [f"{'':9}to go back: {step['back_out'][0]}", *(f"{'':21}{w}" for w in step["back_out"][1:])]
    return "\n".join(lines)


def _minutes(range_: dict[str, float]) -> str:
    low, high = range_["low"], range_["high"]
    unit, by = ("days", 1440) if low >= 2880 else ("h", 60) if high >= 300 else ("min", 1)
    low, high = low / by, high / by
    return f"{low:.3g} {unit}" if low == high else f"{low:.3g} to {high:.3g} {unit}"


def rounds_words(result: dict[str, Any]) -> str:
    sources = {"shelf": "the Shelf", "bought": "what is bought"}
    lines = []
    for m in result["machines"]:
        if not (s := m["served"]):
            lines.append(f"{m['name']}: stays at {m['usable_gib']:g} GB: {m['why']}")
            continue
        came = ", ".join(
            f"{p['count']} of {p['donor'] or sources[p['from']]}" for p in result["passed"] if p["to"] == m["name"]
        )
        lines.append(
            f"{m['name']}: {s['day']}, {m['usable_gib']:g} to {s['usable_gib']:g} GB by {s['route']}"
            + (f" ({came})" if came else "")
            + f"; {s['hours']:g} h, trouble {s['trouble']:.0%}, {s['verdict']}"
        )
    lines += [
        f"buy {b['kits']} kits of {b['kit']} of {b['part']}, {b['price']:.2f}"
        if b["kit"] > 1
        else f"buy {b['kits']} of {b['part']}, {b['price']:.2f}"
        for b in result["buy"]
    ]
    lines.append(f"in all {result['spent']:.2f} for modules, {result['hours']:g} hours")
    lines += [_hold_words(h) for h in result["holds"][:6]]
    lines += [f"left out: {words}" for words in result["left_out"]]
    if result["unheld"]:
        lines.append(f"cannot be held: the pins of {', '.join(result['unheld'])}")
    if result["ended"] != "proved":
        gap = "how near is not known" if result["gap"] is None else f"at most {result['gap']:.1%} above the best"
        lines.append(f"the best so far: {gap}")
    return "\n".join(lines)


def _hold_words(h: dict[str, Any]) -> str:
    what = {
        "hours": f"{h['more']:g} more hours on {h['day']}",
        "budget": f"{h['more']:.2f} more money",
        "stock": f"{h['more']:g} more of {h['part']} on offer",
        "window": f"a wave more for {h['machine']}",
        "group": f"{h['machine']} open beside another of its group",
        "pin": f"{h['machine']} without its pin",
    }[h["by"]]
    brings = f"lets {', '.join(h['comes_in'])} in" if h["comes_in"] else "serves better"
    return f"{what} {brings}: {h['gain']:.2f} better in all" + ("" if h["sure"] else ", as far as is known")
