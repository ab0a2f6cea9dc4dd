"""How a sheet's text says that a fact is not told: `open`, `untold`, or a block with what was looked at and seen."""

from __future__ import annotations

from typing import Annotated, Any, Generic, Literal, TypeVar

from pydantic import Discriminator, Tag
from typing_extensions import TypeAliasType

from umbrak.core.platform.fact import State, Unsaid
from umbrak.formats.documents import Doc, ShortText, Text
from umbrak.formats.yaml_text import BRANCH

T = TypeVar("T", covariant=True)


class OpenDoc(Doc, Generic[T]):
    """Nobody has looked yet."""

    open: Text
    #: What ran in a machine of the model.
    seen: T | None = None


class UntoldDoc(Doc, Generic[T]):
    """Somebody looked, and the sources are silent."""

    untold: Text
    looked: ShortText | None = None
    seen: T | None = None


def _branch(given: Any) -> str:
    if isinstance(given, OpenDoc) or (isinstance(given, dict) and "open" in given):
        return BRANCH + "open"
    if isinstance(given, UntoldDoc) or (isinstance(given, dict) and "untold" in given):
        return BRANCH + "untold"
    return BRANCH + ("word" if given in ("open", "untold", "none") else "told")


#: A fact that is told, open or untold.
Fact = TypeAliasType(
    "Fact",
    Annotated[
        Annotated[T, Tag(BRANCH + "told")]
        | Annotated[Literal["open", "untold"], Tag(BRANCH + "word")]
        | Annotated[OpenDoc[T], Tag(BRANCH + "open")]
        | Annotated[UntoldDoc[T], Tag(BRANCH + "untold")],
        Discriminator(_branch),
    ],
    type_params=(T,),
)
#: A fact that may also be told not to be: `none`, there is no such rule.
Rule = TypeAliasType(
    "Rule",
    Annotated[
        Annotated[T, Tag(BRANCH + "told")]
        | Annotated[Literal["open", "untold", "none"], Tag(BRANCH + "word")]
        | Annotated[OpenDoc[T], Tag(BRANCH + "open")]
        | Annotated[UntoldDoc[T], Tag(BRANCH + "untold")],
        Discriminator(_branch),
    ],
    type_params=(T,),
)
_LEFT_OUT = Unsaid(State.OPEN, named=False)


def unsaid(given: object, seen: tuple[object, ...] = ()) -> Unsaid | None:
    """What a fact's text says of not being told; None where it is told (or told to be none).

    Parameters
        given   as read: None where the text leaves it out, which counts as open
        seen    its `seen` as core's values
    """
    if given is None:
        return _LEFT_OUT
    if isinstance(given, OpenDoc):
        return Unsaid(State.OPEN, given.open, seen=seen)
    if isinstance(given, UntoldDoc):
        return Unsaid(State.UNTOLD, given.untold, given.looked, seen)
    return Unsaid(State(given)) if given in ("open", "untold") else None


def told(given: T | Literal["open", "untold", "none"] | OpenDoc[T] | UntoldDoc[T] | None) -> T | None:
    """The value of a fact that is told; None where it is not, or there is none."""
    if given is None or isinstance(given, OpenDoc | UntoldDoc) or given in ("open", "untold", "none"):
        return None
    return given  # type: ignore[return-value]  # the words are ruled out


def told_word(given: T | Literal["open", "untold", "none"] | OpenDoc[T] | UntoldDoc[T] | None) -> T | str | None:
    """A fact that is a word, where somebody looked and found none: "untold"; None where it is open."""
    missing = unsaid(given)
    return State.UNTOLD.value if missing and missing.state is State.UNTOLD else told(given)


def seen_of(given: T | Literal["open", "untold", "none"] | OpenDoc[T] | UntoldDoc[T] | None) -> T | None:
    """What ran, beside a fact that is not told."""
    return given.seen if isinstance(given, OpenDoc | UntoldDoc) else None
