"""What people say of a machine beside what is in it: one definition for the database's columns, forms, tables and screens."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from pydantic import ConfigDict, Field, StringConstraints, create_model

from umbrak.core.memory.parts import serial_key
from umbrak.formats.documents import PRINTED, Doc, Name, Text
from umbrak.formats.placeholders import told
from umbrak.formats.quantities import Day

#: Of what people say in a field. [characters]
LONGEST = 200
Short = Annotated[str, StringConstraints(max_length=LONGEST, strip_whitespace=True, pattern=PRINTED)]


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
    other_serials: Annotated[Short, Header("other serials", ("other serial numbers",))] = Field(
        default="",
        description="serial numbers that its controller, board or firmware reports instead, with commas between",
    )
    asset_tag: Annotated[Short, Header("asset tag", ("asset", "asset number", "inventory number"))] = Field(
        default="", description="its number in the owner's books"
    )
    warranty_end: Annotated[Day | None, Header("warranty end", ("warranty until", "warranty"))] = Field(
        default=None, description="until when its maker answers for it"
    )
    own: Own = Field(default={}, description="columns of the installation's own tables")

    @property
    def known_serial(self) -> str:
        """Its serial number; "" also where somebody wrote that it is not known."""
        return told(self.serial) or ""

    @property
    def others(self) -> tuple[str, ...]:
        """Serial numbers that it reports beside its own."""
        return tuple(n for n in (w.strip() for w in self.other_serials.split(",")) if n)

    def is_known_by(self, said: str) -> bool:
        """Whether a serial number that is reported, however it is spelled, is one of its own. Some makers' firmware reports as
        serial number what the plate calls the tag."""
        return serial_key(said) in {serial_key(n) for n in (self.serial, *self.others, self.asset_tag)} - {""}

    def reporting(self, *said: str | None) -> About:
        """Known by serial numbers that it reports: its own where nobody said one, else beside that, as many as there is room for."""
        about = self
        for number in said:
            plain = " ".join((number or "").replace(",", " ").split())
            if not told(plain) or not serial_key(plain) or about.is_known_by(plain):
                continue
            more = ", ".join((*about.others, plain))
            if not about.known_serial:
                about = about.model_copy(update={"serial": plain[:LONGEST]})
            elif len(more) <= LONGEST:
                about = about.model_copy(update={"other_serials": more})
        return about


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
