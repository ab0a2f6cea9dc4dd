"""The fields of a platform sheet. Descriptions here are the format's own documentation."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import ConfigDict, Field

from umbrak.formats.bounds import MAX_DRIVES, MAX_PROCESSORS, MAX_SLOTS
from umbrak.formats.documents import (
    AMOUNTS,
    BufferingName,
    Clause,
    Doc,
    FormName,
    Gbit,
    GenerationName,
    Gib,
    LimitBase,
    Millimetres,
    ModuleDoc,
    Mts,
    Name,
    SourceDoc,
    Text,
    Volts,
)  # fmt: skip
from umbrak.formats.sheet.facts import Fact, Rule, told

Count = Annotated[int, Field(ge=0, le=10_000)]
Word = Literal["refused", "unsupported", "slower"]
MemberName = Literal[
    "capacity_gib",
    "package_ranks",
    "stack_height",
    "logical_ranks",
    "device_width",
    "die_gbit",
    "rate_mts",
    "maker",
    "part",
]


class Sourced(Doc):
    """A block with a source of its own; a block's source holds for all inside it."""

    source: Name | None = None
    clause: Clause = None


class TestDoc(Doc):
    """Members that a module must have; members left out match anything."""

    buffering: BufferingName | None = None
    ecc: bool | None = None
    package_ranks: Annotated[int, Field(ge=1, le=16)] | None = None
    stack_height: Annotated[int, Field(ge=1, le=16)] | None = None
    device_width: Literal[4, 8, 16] | None = None
    die_gbit: Gbit | None = None
    capacity_gib: Gib | None = None


class KindDoc(TestDoc):
    """A kind of module that the machine takes."""

    certified: bool = Field(True, description="false: it works, but the maker does not vouch for it")


Ranks = Annotated[int, Field(ge=1, le=16)]
#: Several of something that a sheet has: far more than any needs, few enough to be judged at once.
_FEW, _MANY, _MOST = 64, 500, 5000


class RateRowDoc(TestDoc):
    """What a channel runs at when all of the row's conditions hold; of several rows the most specific wins."""

    rate_mts: Mts
    dpc: Annotated[int, Field(ge=1, le=8)] | None = Field(
        None, description="modules in the channel, soldered memory counting as one"
    )
    ranks: Ranks | Annotated[list[Ranks], Field(max_length=8)] | None = Field(
        None, description="package ranks: one number for any module of the channel, or a list, one for each module"
    )
    rail_v: Volts | None = None


class SheetLimitDoc(LimitBase):
    """A limit; its one amount may be open, untold or none."""

    source: Name | None = None
    capacity_gib: Rule[Gib] | None = None
    die_gbit: Rule[Gbit] | None = None
    package_ranks: Rule[Annotated[int, Field(gt=0, le=1024)]] | None = None
    stack_height: Rule[Annotated[int, Field(gt=0, le=1024)]] | None = None

    def numbers(self) -> dict[str, float | int | None]:
        return {name: told(getattr(self, name)) for name in AMOUNTS}


class ProcessorDoc(Sourced):
    title: Name | None = None
    rates_mts: list[Mts] = Field(default_factory=list, max_length=_FEW, description="data rates that it can run")
    rate_table: Fact[Annotated[list[RateRowDoc], Field(max_length=_MANY)]] | None = None
    faster_modules: Fact[Literal["slowed", "refused"]] | None = Field(
        None,
        description="what becomes of modules rated above its list (unbuffered ones are slowed unless told otherwise)",
    )
    refuses_above_mts: Mts | None = Field(None, description="modules rated above are not slowed but refused")
    limits: Annotated[list[SheetLimitDoc], Field(max_length=_MANY)] = []


class SocketDoc(Doc):
    processors: Annotated[list[Name], Field(min_length=1)]
    may_be_absent: bool = False
    soldered: bool = False


class RailDomainDoc(Doc):
    rails_v: Annotated[list[Volts], Field(min_length=1, max_length=8)]
    sockets: list[Name] = Field(default_factory=list, description="sockets whose memory the supply feeds")
    channels: list[Name] = Field(default_factory=list, description="channels that it feeds, where not whole sockets")


class ModeDoc(Doc):
    usable_share: Annotated[float, Field(gt=0, le=1)] | None = Field(
        None, description="what it leaves usable; where neither this nor spare_ranks is given, that is open"
    )
    channels_used: Annotated[int, Field(ge=1, le=MAX_SLOTS)] | None = None
    bandwidth_factor: Annotated[float, Field(gt=0, le=1)] = 1.0
    alike: list[MemberName] = []
    counts: list[Count] = Field(
        default_factory=list, max_length=MAX_SLOTS, description="modules per socket with which it works"
    )
    spare_ranks: Rule[Annotated[int, Field(ge=0, le=16)]] | None = Field(
        None, description="ranks that each filled channel keeps back"
    )
    slots: list[Name] = Field(
        default_factory=list, description="the only slots it works with; a name may hold * for several"
    )


class MemoryDoc(Sourced):
    generation: GenerationName
    form: FormName
    rails_v: Fact[Annotated[list[Volts], Field(min_length=1, max_length=8)]] | None = Field(
        None, description="left out, it is the generation's one rail; of DDR3, which has several, it is open"
    )
    rail_policy: Fact[Literal["lowest", "highest", "setting"]] | None = None
    rail_domains: dict[Name, RailDomainDoc] = Field(
        default_factory=dict, description="supplies, where there are several"
    )
    accepts: Fact[Annotated[list[KindDoc], Field(min_length=1, max_length=_FEW)]] | None = None
    refuses: Annotated[list[TestDoc], Field(max_length=_FEW)] = []
    ecc_mixed: Fact[Literal["refused", "loses"]] | None = None
    never_together: (
        Rule[Annotated[list[Annotated[list[TestDoc], Field(min_length=2, max_length=_FEW)]], Field(max_length=_FEW)]]
        | None
    ) = Field(None, description="kinds of which only one may stand within together_within; none: all mix")
    together_within: Literal["machine", "socket", "channel"] = "machine"
    package_ranks_per_channel: Rule[Annotated[int, Field(ge=1, le=1024)]] | None = Field(
        None, description="chip selects of a channel: hard"
    )
    load_reduced_counts_as: Fact[Annotated[int, Field(ge=1, le=16)]] | None = None
    modes: dict[Name, ModeDoc] = {}
    remaps_hole: bool | None = None


class ChannelDoc(Doc):
    socket: Name | None = Field(None, description="may be left out where there is one socket")
    slots: list[Name] = []
    soldered: ModuleDoc | None = None


class ClearanceDoc(Doc):
    fitted: Millimetres | None = None
    on_the_way: Millimetres | None = None


class CarrierDoc(Doc):
    """A board, riser, tray or cartridge that slots stand on and that comes out as one."""

    title: Name | None = None
    numbering: Text = Field("", description="how its slots are numbered, in words: right to left, from the fans")
    access: Name | None = None
    socket: Name | None = Field(None, description="whose memory it carries; needed where a block is repeated over it")
    right_to_left: bool = Field(False, description="its slots are numbered against the eye, and drawn so")


class SlotDoc(Doc):
    printed: Name | None = Field(
        None, description="locator as printed on the board; may hold {socket}, {carrier}, {slot} and {n}"
    )
    locators: list[Name] = Field(
        default_factory=list, description="names under which the machine's own tables report it"
    )
    position: Literal["far", "near", "middle"] | None = None
    tab: Name | None = Field(None, description="colour of the latch tab")
    access: Name | None = None
    carrier: Name | None = Field(None, description='"{socket}" stands for the socket in a repeated block')
    clearance_mm: Fact[ClearanceDoc] | None = None
    facing: Text | None = None
    landmark: Text | None = Field(None, description="where it is for the eye: third teal from the fans")
    light: Text | None = Field(None, description="what lights when its module is at fault")
    behind: list[Name] = Field(default_factory=list, description="slots that must be empty before this one is reached")


class PopulationDoc(Sourced):
    scope: Literal["machine", "socket", "carrier"] | None = Field(None, description="in a repeated block: socket")
    where: Name | None = Field(None, description="the socket or carrier, where the block is not repeated")
    fill: list[Annotated[list[Name], Field(min_length=1)]] | None = Field(
        None, description="sets in the order in which they are filled"
    )
    counts: dict[Count | Name, list[list[Name]]] | None = Field(
        None, description="number of modules -> sets that hold them, in order"
    )
    other_counts: Fact[Word] | None = None
    otherwise: Fact[Word] | None = Field(None, description="what the right count in wrong slots does")
    alike_in_set: list[MemberName] = []
    larger_first: bool = False
    higher_ranks_far: bool = False
    even_over: Literal["sockets"] | None = Field(None, description="like totals on every socket")
    symmetric: bool = Field(False, description="like modules in the like slots of every socket")
    least_per_processor: Annotated[int, Field(ge=0, le=MAX_SLOTS)] = 0


class RepeatDoc(Sourced):
    """Said once, holds for each socket or each carrier; names become SOCKET.NAME, or as `name` says."""

    over: Annotated[list[Name], Field(min_length=1, max_length=_MANY)] = Field(
        description="sockets, or carriers that name their socket"
    )
    name: Name = Field(
        "{over}.{name}", description="how names are made; may hold {over}, {name} and {n}, the place in `over`"
    )
    controllers: dict[Name, list[Name]] = {}
    interleave_ways: list[int] = []
    channels: dict[Name, list[Name] | ChannelDoc] = {}
    slots: dict[Name, SlotDoc] = Field(
        default_factory=dict,
        description="a key may end or begin with * and then holds for every slot it matches; in `repeat` a whole name (CPU2.A1) "
        "means that one slot alone",
    )
    population: Annotated[list[PopulationDoc], Field(max_length=_MANY)] = []


class ListedDoc(Doc):
    part: Name
    capacity_gib: Gib | None = None
    #: Who makes the module, and what the list says beside it.
    maker: Name | None = None
    note: Text | None = None
    source: Name | None = None


Minutes = Annotated[float, Field(ge=0, le=100_000)]


class StepDoc(Doc):
    do: Text
    close: Text | None = Field(
        None, description="how it is closed; empty: there is nothing to close; left out: not told"
    )
    screws: Annotated[int, Field(ge=1, le=200)] | None = Field(None, description="undone in this step, and laid aside")
    minutes: Minutes | None = Field(None, description="out; told of every step, they are the whole of the way")
    back_minutes: Minutes | None = Field(None, description="and back; left out: as long")


Mib = Annotated[float, Field(ge=0, le=1 << 34)]
Seconds = Annotated[float, Field(ge=0, le=1_000_000)]


class AccessDoc(Doc):
    minutes: Minutes = 0
    tools: list[Name] = []
    ends_warranty: Fact[bool] | None = None
    cools_min: Minutes = 0
    bays_out: Annotated[list[Count], Field(max_length=MAX_DRIVES)] = []
    bays_ease: Annotated[list[Count], Field(max_length=MAX_DRIVES)] = []
    airflow: list[Name] = Field(default_factory=list, description="blanks, baffles and guides that must go back")
    hand: Text | None = Field(None, description="how the hand comes to the slot, where that is a question")
    steps: list[StepDoc] = []


class BaysDoc(Doc):
    rows: Annotated[int, Field(ge=1, le=64)]
    columns: Annotated[int, Field(ge=1, le=64)]
    numbering: Text = ""
    first_number: Literal[0, 1] = 1


class ReserveDoc(Doc):
    fixed_mib: Mib = 0
    share: Annotated[float, Field(ge=0, lt=1)] = 0
    tolerance_mib: Mib = 0


class FirstBootDoc(Doc):
    base_s: Seconds = 0
    per_module_s: Seconds = 0
    per_gib_s: Seconds = 0
    spread: Annotated[float, Field(ge=0, le=1)] = 0


class StartsDoc(Doc):
    open: bool | None = None
    without_drives: bool | None = None
    lights_open: bool | None = Field(
        None, description="whether the lights of its faults show only with power on and the cover off"
    )


class MemoryTestDoc(Sourced):
    start: Text = Field("", description="how its memory is tested: from what, by which menu or command")
    read: Text = Field("", description="where the result is read, and what it says when it passed")
    without_drives: bool | None = Field(None, description="whether it can be done with the drives out")


class AllocationDoc(Sourced):
    do: Text = Field("", description="how one workload is given a stated share of memory")
    needs: Text = Field("", description="what has to be there for it")
    sharing_hides: bool | None = Field(
        None, description="whether pages are shared or compressed, so that use shows less"
    )


class NoteDoc(Sourced):
    text: Text


class SheetDoc(Doc):
    """One model of machine."""

    model_config = ConfigDict(validate_by_name=True)

    version: Literal[1] = Field(alias="umbrak-sheet")
    id: Name
    title: Name
    maker: Name | None = None
    models: Annotated[list[Name], Field(max_length=_MANY)] = Field(
        default_factory=list, description="other names under which reports and people know it"
    )
    kind: Literal["appliance", "server", "workstation"] = Field(alias="class")
    archetype: bool = Field(False, description="a common architecture without a maker, to start a sheet from")
    notes: Text | None = None
    sources: Annotated[dict[Name, SourceDoc], Field(min_length=1, max_length=_MANY)]
    processors: Annotated[dict[Name, ProcessorDoc], Field(min_length=1, max_length=_MANY)]
    rate_alike: Literal["machine"] | None = None
    rate_cap_mts: Mts | None = None
    sockets: Annotated[dict[Name, SocketDoc], Field(min_length=1, max_length=MAX_PROCESSORS)]
    memory: MemoryDoc
    controllers: dict[Name, list[Name]] = {}
    interleave_ways: list[int] = []
    channels: Fact[dict[Name, list[Name] | ChannelDoc]] = {}
    slots: dict[Name, SlotDoc] = {}
    carriers: dict[Name, CarrierDoc] = {}
    repeat: RepeatDoc | list[RepeatDoc] | None = None
    population: Rule[Annotated[list[PopulationDoc], Field(max_length=_MANY)]] | None = None
    limits: Rule[Annotated[list[SheetLimitDoc], Field(max_length=_MANY)]] | None = None
    listed: Annotated[list[ListedDoc], Field(max_length=_MOST)] = []
    access: dict[Name, AccessDoc] = {}
    bays: BaysDoc | None = None
    reserve: ReserveDoc | None = None
    first_boot: FirstBootDoc | None = None
    starts: StartsDoc | None = None
    memory_test: MemoryTestDoc | None = None
    allocation: AllocationDoc | None = None
    reports: dict[Name, Text] = Field(default_factory=dict, description="where firmware and system show the memory")
    lights: dict[Name, Text] = Field(default_factory=dict, description="light -> what it tells")
    os_notes: list[NoteDoc] = Field(
        default_factory=list, max_length=_MANY, description="what operating systems do with the memory"
    )
    geometry: dict[Name, Annotated[list[Annotated[float, Field(ge=-10_000, le=10_000)]], Field(max_length=8)]] = Field(
        default_factory=dict,
        description="socket, carrier or slot -> [x, y] in coarse grid units; left out, it is laid out",
    )
