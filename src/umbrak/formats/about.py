"""What people say of a machine beside what is in it: one definition for the database's columns, forms, tables and screens."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from pydantic import ConfigDict, Field, StringConstraints, create_model

from umbrak.formats.documents import PRINTED, Doc, Name, Text
from umbrak.formats.quantities import Day

Short = Annotated[str, StringConstraints(max_length=200, strip_whitespace=True, pattern=PRINTED)]


#: What an installation keeps of its machines beyond what is known here: column -> what stands there.
Own = Annotated[dict[Name, Text], Field(max_length=60)]


@dataclass(frozen=True, slots=True)
class Header:
    """What the field's column is called in a table of machines, and what else people call it."""

    name: str
    also: tuple[str, ...] = ()


class About(Doc):
    """Each field is a column of the table `machine` of the same name. "" and null = nobody said."""

    model_config = ConfigDict(defer_build=False)

    place: Annotated[Short, Header("place", ("location", "rack"))] = ""
    duty_group: Annotated[Short, Header("duty group", ("group", "cluster"))] = Field(
        default="", description="machines of one group carry each other's loads"
    )
    keeper: Annotated[Short, Header("looked after by", ("keeper", "owner", "responsible"))] = Field(
        default="", description="who looks after it"
    )
    serial: Annotated[Short, Header("serial", ("serial number",))] = Field(
        default="", description="its own serial number, by which its reports are known"
    )
    asset_tag: Annotated[Short, Header("asset tag", ("asset", "asset number", "inventory number"))] = Field(
        default="", description="its number in the owner's books"
    )
    warranty_end: Annotated[Day | None, Header("warranty end", ("warranty until", "warranty"))] = Field(
        default=None, description="until when its maker answers for it"
    )
    own: Own = Field(default={}, description="columns of the installation's own tables")


#: Changes of it, field by field; null and what is left out stay as they are, but for a day, which null takes away. Own columns
#: are given whole.
AboutChanges = create_model(
    "AboutChanges",
    __base__=Doc,
    **{name: (Annotated[field.annotation, *field.metadata] | None, None) for name, field in About.model_fields.items()},  # type: ignore[call-overload]
)
HEADERS: dict[str, Header] = {
    name: m for name, field in About.model_fields.items() for m in field.metadata if isinstance(m, Header)
}
#: Fields in which the list of machines is searched.
SEARCHED = tuple(name for name, field in About.model_fields.items() if field.annotation is str)
