"""JSON whose sender is not trusted: its values are counted before any is made."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from typing import Any

from umbrak.formats.bounds import Deadline
from umbrak.formats.faults import Fault, InputError

#: Objects, lists and values of one text. An empty object costs thirty times its two characters in memory.
MAX_VALUES = 300_000


def load_json(data: bytes, deadline: Deadline) -> object:
    """The value of a JSON text in UTF-8.

    Raises
        InputError   no UTF-8, no JSON (with its line), nested deeper than can be read, too many values, too slow
    """
    # Every value but the first stands after one of these; those within texts are counted too, which only errs upward.
    values = data.count(b",") + data.count(b"[") + data.count(b"{")
    if values > MAX_VALUES and _has_more(data, MAX_VALUES):
        raise InputError("too-large", [Fault(f"more than {MAX_VALUES} values in it", "the whole")])
    deadline.check("line 1")
    try:
        return json.loads(data.decode("utf-8-sig"))
    except UnicodeDecodeError as error:
        raise InputError("not-json", [Fault("no UTF-8 text", f"byte {error.start}")]) from error
    except json.JSONDecodeError as error:
        raise InputError(
            "not-json", [Fault(message=error.msg, where=f"line {error.lineno}", line=error.lineno, column=error.colno)]
        ) from error
    except RecursionError as error:
        # The scanner counts how deep it is and gives up long before its stack ends.
        raise InputError(
            "too-deep", [Fault(message="documents within documents without end", where="line 1", line=1, column=1)]
        ) from error
    except ValueError as error:
        raise InputError(
            "not-json", [Fault(message="a number of thousands of digits", where="line 1", line=1, column=1)]
        ) from error


#: A text, or what a value stands after.
_PIECE = re.compile(rb'"[^"\\]*+(?:\\.[^"\\]*+)*+"|[,\[{]', re.S)


def _has_more(data: bytes, most: int) -> bool:
    """Whether there are more values than `most`, by what stands outside of texts."""
    values = 0
    for texts, piece in enumerate(_PIECE.finditer(data)):
        values += piece[0][:1] != b'"'
        if values > most or texts > 3 * most:
            return True
    return False


def objects(value: object) -> Iterator[dict[str, Any]]:
    """Every object in a value, each before those within it, in the order of the text."""
    todo = [value]
    while todo:
        one = todo.pop()
        if isinstance(one, dict):
            yield one
            todo.extend(v for v in reversed(one.values()) if isinstance(v, list | dict))
        elif isinstance(one, list):
            todo.extend(v for v in reversed(one) if isinstance(v, list | dict))
