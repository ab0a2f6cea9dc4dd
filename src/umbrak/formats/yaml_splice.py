"""Changes a YAML text so that it says other data, and touches no more of it than the difference.

What a person wrote stays as it was written: comments, order, quotes, spaces. A value is replaced where it stands; a key
or an item that is new is put in a line, or between commas, as its neighbours stand; one that is gone goes with its
line. The result is read again: it says exactly what was wanted, or nothing is changed.
"""

from __future__ import annotations

import difflib
import json
import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any

import yaml

from umbrak.formats.faults import Fault, InputError
from umbrak.formats.yaml_text import Path, dotted, load_yaml

#: A value is written on one line up to this column.
WIDTH = 110
#: Names of a block in the order in which it is written, for its path.
Order = Callable[[Path], Sequence[str]]


def rewritten(text: str, data: Any, order: Order = lambda _: ()) -> str:
    """The text, saying `data`.

    Parameters
        text    one document
        data    mappings, lists, text, numbers, truth values and None
        order   where a new key is put among those that are there: after the last that comes before it
    Raises
        InputError   no YAML; or a text whose anchors or notation do not let it be changed so
    """
    mark = text[:1] if text.startswith("\ufeff") else ""
    body = text.removeprefix("\ufeff")
    documents = load_yaml(body)
    if len(documents) != 1:
        raise InputError("several-sheets", [Fault(f"one document was expected, {len(documents)} found")])
    writer = _Writer(body, order)
    writer.change(_parts(body), documents[0].data, data, (), None, flow=False)
    changed = body
    # What is put in at one place stands in the order in which it was said.
    for _, (start, end, new) in sorted(enumerate(writer.edits), key=lambda e: (*e[1][:2], e[0]), reverse=True):
        changed = changed[:start] + new + changed[end:]
    try:
        said = load_yaml(changed)
        right = len(said) == 1 and same(said[0].data, data)
    except InputError:
        right = False
    if not right:
        places = ", ".join(dict.fromkeys(dotted(p[:2]) for p in writer.touched))
        message = f"{places or 'the text'} is written in a way (an anchor, a tag) that only a person can change: do it in the text"
        raise InputError("not-spliced", [Fault(message)])
    return mark + changed


def same(a: object, b: object) -> bool:
    """Whether two values of a text say the same: 1 and 1.0 do, 1 and true do not."""
    if isinstance(a, dict) and isinstance(b, dict):
        return a.keys() == b.keys() and all(same(a[k], b[k]) for k in a)
    if isinstance(a, list) and isinstance(b, list):
        return len(a) == len(b) and all(map(same, a, b))
    return isinstance(a, bool) == isinstance(b, bool) and a == b


# -- the text as parts ----------------------------------------------------------------------------------


@dataclass(slots=True)
class _Part:
    """A value as it stands in the text, from its first to behind its last character."""

    start: int
    end: int
    #: map, seq, or leaf: a scalar or an alias
    kind: str
    flow: bool = True
    #: Of a mapping, its keys; of a list, none.
    keys: list[_Part] = field(default_factory=list)
    values: list[_Part] = field(default_factory=list)
    name: str = ""


def _index(mark: Any) -> int:
    """Characters before a mark of the parser, which has one for everything that stands in a text."""
    return int(mark.index)


def _parts(text: str) -> _Part:
    open_: list[tuple[_Part, list[_Part]]] = []
    for event in yaml.parse(text, yaml.CSafeLoader):
        match event:
            case yaml.CollectionStartEvent():
                kind = "map" if isinstance(event, yaml.MappingStartEvent) else "seq"
                open_.append((_Part(start=_index(event.start_mark), end=0, kind=kind, flow=bool(event.flow_style)), []))
                continue
            case yaml.CollectionEndEvent():
                part, inside = open_.pop()
                part.values = inside[1::2] if part.kind == "map" else inside
                part.keys = inside[::2] if part.kind == "map" else []
                part.end = _index(event.end_mark) if part.flow else max(p.end for p in inside)
            case yaml.ScalarEvent() | yaml.AliasEvent():
                start, end = _index(event.start_mark), _index(event.end_mark)
                if isinstance(event, yaml.ScalarEvent) and event.style in ("|", ">"):
                    end = start + len(text[start:end].rstrip())
                part = _Part(start=start, end=end, kind="leaf", name=getattr(event, "value", ""))
            case _:
                continue
        if open_:
            open_[-1][1].append(part)
    return part


# -- its changes ----------------------------------------------------------------------------------------


class _Writer:
    def __init__(self, text: str, order: Order) -> None:
        self.text = text
        self.order = order
        self.newline = "\r\n" if "\r\n" in text else "\n"
        #: (from, to, what stands there instead), none within another.
        self.edits: list[tuple[int, int, str]] = []
        self.touched: list[Path] = []

    def change(self, part: _Part, old: Any, new: Any, path: Path, key: _Part | None, flow: bool) -> None:
        """Notes what makes a part say `new`.

        Parameters
            key    the key before it; None where it is an item or the whole
            flow   whether it stands within brackets
        """
        if same(old, new):
            return
        self.touched.append(path)
        if part.kind == "map" and isinstance(new, dict) and any(k in new for k in old):
            self._mapping(part, old, new, path)
        elif part.kind == "seq" and isinstance(new, list) and old and new:
            self._list(part, old, new, path)
        elif part.kind == "map" and not part.flow and isinstance(new, dict) and new:
            indent = part.start - self._line(part.start)
            self.edits.append((part.start, part.end, self._block(new, indent).lstrip(" ")))
        else:
            self._replace(part, new, key, flow)

    def _replace(self, part: _Part, new: Any, key: _Part | None, flow: bool) -> None:
        start = part.start
        lead = " " if key is None and part.end == start and not self.text[start - 1 : start].isspace() else ""
        if key is not None and not (part.kind != "leaf" and part.flow):
            # From behind the colon: what stood in lines below may come to stand beside it.
            behind = self.text.find(":", key.end)
            if key.end <= behind <= start:
                start, lead = behind + 1, " "
                same_line = self.text[start : part.start]
                if part.kind == "leaf" and same_line.strip(" \t") == "" and part.end > part.start:
                    start, lead = part.start, ""
            elif part.start == part.end:
                lead = ": "  # {a} alone has neither colon nor value
        if flow:
            self.edits.append((start, part.end, lead + _flow(new)))
            return
        line = self._line(key.start if key else start)
        indent = (
            (key.start if key else start) - line
            if self.text[line : key.start if key else start].strip() in ("", "-")
            else 0
        )
        clear = self.text[part.end : self._eol(part.end)].strip() == "" and key is not None
        written = self._value(new, indent, start - line, clear)
        if written.startswith(self.newline):
            start, lead = start - len(self.text[:start]) + len(self.text[:start].rstrip(" ")), ""
        self.edits.append((start, part.end, lead + written))

    def _value(self, value: Any, indent: int, column: int, may_break: bool = True) -> str:
        """A value behind its key: on the line where it has room, otherwise in lines of its own."""
        one = _flow(value)
        if not may_break or not value or not isinstance(value, dict | list) or column + len(one) <= WIDTH:
            return one
        return self.newline + self._block(value, indent + 2)

    def _block(self, value: Any, indent: int) -> str:
        lead = " " * indent
        if isinstance(value, dict):
            return self.newline.join(f"{lead}{self._entry(k, v, indent)}" for k, v in value.items())
        return self.newline.join(f"{lead}- {_flow(v)}" for v in value)

    def _entry(self, name: str, value: Any, indent: int) -> str:
        written = self._value(value, indent, indent + len(name) + 2)
        return f"{_key(name)}:{'' if written.startswith(self.newline) else ' '}{written}"

    def _line(self, at: int) -> int:
        """Where the line of a place begins."""
        return self.text.rfind("\n", 0, at) + 1

    def _eol(self, at: int) -> int:
        """Where the line of a place ends, before its break."""
        end = self.text.find("\n", at)
        end = len(self.text) if end < 0 else end
        return end - 1 if end > at and self.text[end - 1] == "\r" else end

    # -- mappings ---------------------------------------------------------------------------------------

    def _mapping(self, part: _Part, old: dict[str, Any], new: dict[str, Any], path: Path) -> None:
        spans = [_Span(k.start, max(k.end, v.end)) for k, v in zip(part.keys, part.values, strict=True)]
        names = [k.name for k in part.keys]
        kept = [i for i, n in enumerate(names) if n in new]
        for i in kept:
            self.change(part.values[i], old[names[i]], new[names[i]], (*path, names[i]), part.keys[i], flow=part.flow)
        self._drop(spans, set(range(len(names))) - set(kept), part.flow)
        known = list(self.order(path))
        wanted = list(new)
        for name, value in new.items():
            if name in old:
                continue
            if name in known:
                rank = known.index(name)
                before = [i for i in kept if names[i] not in known or known.index(names[i]) < rank]
            else:
                rank = wanted.index(name)
                before = [i for i in kept if wanted.index(names[i]) < rank]
            after = before[-1] if before else None
            if part.flow:
                self._put(spans, after, kept[0], f"{_key(name)}: {_flow(value)}", ", ", flow=True)
            else:
                first = part.keys[kept[0]].start
                indent = part.keys[0].start - self._line(part.keys[0].start)
                if after is None and self.text[self._line(first) : first].strip():
                    after = kept[0]  # behind its dash it stays where it is
                self._put(
                    spans, after, kept[0], self._entry(name, value, indent), self.newline + " " * indent, flow=False
                )

    # -- lists ------------------------------------------------------------------------------------------

    def _list(self, part: _Part, old: list[Any], new: list[Any], path: Path) -> None:
        spans = [
            _Span(v.start if part.flow else self.text.rfind("-", 0, v.start), max(v.end, v.start)) for v in part.values
        ]
        gone: set[int] = set()
        puts: list[tuple[int | None, Any]] = []
        for word, i1, i2, j1, j2 in _aligned(old, new):
            if word == "equal":
                continue
            both = min(i2 - i1, j2 - j1)
            for i, j in zip(range(i1, i1 + both), range(j1, j1 + both), strict=True):
                self.change(part.values[i], old[i], new[j], (*path, i), None, flow=part.flow)
            gone |= set(range(i1 + both, i2))
            last = i1 + both - 1
            puts += [(last if last >= 0 else None, value) for value in new[j1 + both : j2]]
        kept = [i for i in range(len(old)) if i not in gone]
        self._drop(spans, gone, part.flow)
        first = kept[0]
        for after, value in puts:
            if part.flow:
                self._put(spans, after, first, _flow(value), ", ", flow=True)
            else:
                indent = spans[0].start - self._line(spans[0].start)
                self._put(spans, after, first, f"- {_flow(value)}", self.newline + " " * indent, flow=False)

    # -- both -------------------------------------------------------------------------------------------

    def _put(self, spans: list[_Span], after: int | None, first: int, written: str, apart: str, flow: bool) -> None:
        """Puts an entry behind one that stays, or before the first that stays."""
        if after is None:
            at = spans[first].start
            self.edits.append((at, at, written + apart))
        else:
            at = spans[after].end if flow else self._eol(spans[after].end)
            self.edits.append((at, at, apart + written))

    def _drop(self, spans: list[_Span], gone: set[int], flow: bool) -> None:
        kept_before = False
        for i, span in enumerate(spans):
            if i not in gone:
                kept_before = True
                continue
            line = self._line(span.start)
            if flow and kept_before:
                self.edits.append((spans[i - 1].end, span.end, ""))
            elif not flow and self.text[line : span.start].strip() == "":
                end = self._eol(span.end)
                # The last line of a text may have no break: then the one before it goes.
                end = self.text.find("\n", end) + 1 or len(self.text)
                self.edits.append((line, end, ""))
            elif i + 1 < len(spans):
                self.edits.append((span.start, spans[i + 1].start, ""))
            else:
                self.edits.append((span.start, span.end, ""))


@dataclass(frozen=True, slots=True)
class _Span:
    start: int
    end: int


def _aligned(old: list[Any], new: list[Any]) -> Iterator[tuple[str, int, int, int, int]]:
    """Which items of a list became which."""
    a, b = ([json.dumps(v, sort_keys=True) for v in each] for each in (old, new))
    yield from difflib.SequenceMatcher(None, a, b, autojunk=False).get_opcodes()


# -- values as text -------------------------------------------------------------------------------------


def _flow(value: Any) -> str:
    """A value on one line."""
    if isinstance(value, dict):
        return "{" + ", ".join(f"{_key(k)}: {_flow(v)}" for k, v in value.items()) + "}"
    if isinstance(value, list):
        return "[" + ", ".join(map(_flow, value)) + "]"
    if value is None or isinstance(value, bool):
        return json.dumps(value)
    if isinstance(value, int | float):
        return str(int(value)) if value == int(value) else repr(float(value))
    written = text_of(value)
    # Breaks of YAML that JSON leaves as they are.
    return re.sub("[\x7f-\x9f\u2028\u2029\ufeff]", lambda c: f"\\u{ord(c[0]):04x}", written)


def _key(name: str) -> str:
    return name if re.fullmatch(r"[A-Za-z0-9_][A-Za-z0-9_.-]*", name) else json.dumps(name, ensure_ascii=False)


def text_of(text: str) -> str:
    """A YAML scalar that is this text: JSON's quotes are YAML's too."""
    return (
        text
        if re.fullmatch(r"[A-Za-z][A-Za-z0-9 ._-]*[A-Za-z0-9]|[A-Za-z]", text) and text.lower() not in _WORDS
        else json.dumps(text, ensure_ascii=False)
    )


#: Words that YAML reads as something else.
_WORDS = {"yes", "no", "on", "off", "true", "false", "null", "y", "n"}
