"""Every shape in which a document was ever kept is read; what cannot be is said to be so."""

from __future__ import annotations

import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import pytest
import yaml

from umbrak.formats import kept
from umbrak.formats.kept import Kept, Unreadable

SAMPLES = yaml.safe_load(Path(__file__).with_name("kept.yaml").read_text("utf-8"))
KINDS: dict[str, Kept[Any]] = {n: v for n, v in vars(kept).items() if isinstance(v, Kept)}


def found(value: Any, path: str) -> Any:
    for part in path.split("."):
        if isinstance(value, Mapping):
            value = value[int(part)] if part.isdigit() and int(part) in value else value[part]
        elif isinstance(value, list | tuple):
            value = value[int(part)]
        else:
            value = getattr(value, part)
    return list(value) if isinstance(value, tuple) else value


@pytest.mark.parametrize("sample", SAMPLES, ids=[f"{s['kind']} {i}" for i, s in enumerate(SAMPLES)])
def test_a_kept_shape_is_read_and_written_anew(sample: dict[str, Any]) -> None:
    adapter, document = KINDS[sample["kind"]], sample["document"]
    value = adapter.read(document)
    for path, wanted in sample["has"].items():
        assert found(value, path) == wanted, path
    again = json.loads(json.dumps(adapter.write(value)))
    assert again["schema"] == adapter.schema
    kind = {n: document[n] for n in ("kind", "step") if sample["kind"] == "ENTRY" and n in document}
    assert adapter.read({**again, **kind}) == value


def test_every_kind_and_number_has_a_sample() -> None:
    shown = {(s["kind"], n if isinstance(n := s["document"].get("schema", 1), int) else 1) for s in SAMPLES}
    # The newest number of each is what the round trip above writes.
    assert {(name, n) for name, k in KINDS.items() for n in range(1, k.schema)} <= shown
    assert set(KINDS) == {s["kind"] for s in SAMPLES}


@pytest.mark.parametrize("name", KINDS)
@pytest.mark.parametrize("document", [None, [], "x", {"schema": 0}, {"schema": -1}, {"schema": 1, "slots": 3, "processors": 3, "odd": 1}])  # fmt: skip
def test_what_was_never_written_is_unreadable(name: str, document: Any) -> None:
    with pytest.raises(Unreadable, match="cannot be read"):
        KINDS[name].read(document)


@pytest.mark.parametrize("name", KINDS)
def test_what_a_newer_version_wrote_says_so(name: str) -> None:
    with pytest.raises(Unreadable, match="newer version"):
        KINDS[name].read({"schema": KINDS[name].schema + 1})
