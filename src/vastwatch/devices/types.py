"""What every device type has, whatever its family: power, mounting, latency, hold, radio, price.

Latency is a property of the type, never of its technology: there are slow PIRs and quick radars.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated, ClassVar, Literal, NamedTuple

import msgspec

from vastwatch.site.record import Id, NotNegative, Positive, Record

IP_PATTERN = r"^IP[0-6][0-9]$"
Degrees = Annotated[float, msgspec.Meta(gt=0, le=360)]


Cell = Literal["AAA", "AA", "CR2032", "CR2450", "CR123A", "CR2"]


class Latency(Record, frozen=True, kw_only=True):
    """Seconds from the first notice to the report: least, typical, most."""

    min_s: NotNegative
    typical_s: NotNegative
    max_s: NotNegative


class Battery(Record, frozen=True, kw_only=True):
    """`count` cells in series, `strings` of them side by side, or as many of another kind in their place (`or_cell`);
    microamperes asleep, and milliamperes for so many milliseconds at each report."""

    cell: Cell
    count: Annotated[int, msgspec.Meta(ge=1, le=8)] = 1
    strings: Annotated[int, msgspec.Meta(ge=1, le=4)] = 1
    or_cell: Cell | None = None
    sleep_ua: Positive
    report_ma: Positive
    report_ms: Positive


class LightMeter(Record, frozen=True, kw_only=True):
    """A light-level sensor on board: continuous lux between two bounds, or a light/dark flag at a fixed level that
    nobody can adjust. `interval_s` between its reports."""

    kind: Literal["continuous", "flag"]
    low_lux: NotNegative = 0.0
    high_lux: Positive = 2000.0
    flag_lux: Positive | None = None
    interval_s: Positive = 60.0


class ZoneRules(Record, frozen=True, kw_only=True):
    """What zones a tracking radar takes, and how it is told them.

    `shape`: rectangles along its own axes, or polygons of up to `corners`. Numbers are in `unit`, on a grid of `step`
    of that unit; x grows to the `x_grows` side as seen from the device, y away from it. A zone is at least `least_m`
    wide and deep, and `gap_m` from the next. `sensitivity`: whether each zone has its own. A zone is entered once
    `confirm_of[0]` of `confirm_of[1]` successive reports fall into it, and is left `off_delay_s` after the last,
    unless it is set, up to `off_delay_max_s`.
    """

    shape: Literal["rectangle", "polygon"] = "rectangle"
    corners: Annotated[int, msgspec.Meta(ge=3, le=12)] = 4
    unit: Literal["m", "cm", "mm"] = "cm"
    step: Positive = 10.0
    x_grows: Literal["right", "left"] = "right"
    least_m: Positive = 0.3
    gap_m: NotNegative = 0.0
    sensitivity: bool = False
    confirm_of: tuple[Annotated[int, msgspec.Meta(ge=1)], Annotated[int, msgspec.Meta(ge=1, le=8)]] = (2, 3)
    off_delay_s: NotNegative = 5.0
    off_delay_max_s: NotNegative = 300.0

    @property
    def unit_m(self) -> float:
        """Metres in a unit."""
        return {"m": 1.0, "cm": 0.01, "mm": 0.001}[self.unit]

    @property
    def step_m(self) -> float:
        """The grid of its numbers, metres."""
        return self.step * self.unit_m


class DeviceFact(NamedTuple):
    """`better`: 1 where more is better, -1 where less is, 0 where it is a matter of the place."""

    label: str
    words: str
    value: float | None = None
    better: int = 0


# Beyond this no figure of a room device is meant seriously: metres, seconds, a price.
FARTHEST_M, LONGEST_S, DEAREST = 100.0, 86_400.0, 1e6

# A contradiction: the field it is told at, and what is wrong with it.
Fault = tuple[str, str]


class BaseType(Record, frozen=True, kw_only=True, tag_field="family"):
    """Base of all families. Beside its figures a family says what it is called and what it is for.

    `heading`: over its types on the device list; `called`: before a room's name; `watches`: an area from where it is
    mounted, the `host` it is fixed to, or nobody. `presence`: it says by itself that somebody is there; `starts`: it is
    quick enough to be the one that starts presence; `through_walls`: what moves next door reaches it; `tilt`: how it is
    pitched when it is mounted on a wall, degrees; `point_at`: where one points to mount it.

    What it senses by, so that nobody has to ask for a family by name: `infrared`, `emits_radio` (radar), `pressed` (by
    a body's weight), `at_doors` (a contact), `metered` (the watts of a machine), `plays` (what a player plays).
    `senses_people`: whatever it says concerns people; `patient`: it notices who stays; `tells_state`: it tells who
    moves from who stays; `on_off`: its report is on or off; `is_module`: it switches a circuit and is no sensor;
    `by_interval`: it has a value that it reports from time to time; `has_plug`: it brings its own; `settles_s`: from
    its supply until it reports; `technology`: what it is called on a chart, by default as the family; `placed_as`: the
    family that is placed as it is; `ink`: on paper.

    `ranges`: its figures that a measured range in place scales; `sensitivities`: the settings of a placed one that
    count steps below its most sensitive, of which it then has `steps`; `steps_scale_ranges`: what such a step takes is
    taken off its ranges, and not by its model.
    """

    family: ClassVar[str]
    heading: ClassVar[str]
    called: ClassVar[str]
    watches: ClassVar[Literal["area", "host", "nobody"]] = "nobody"
    presence: ClassVar[bool] = False
    starts: ClassVar[bool] = False
    through_walls: ClassVar[bool] = False
    tilt: ClassVar[float] = 0.0
    infrared: ClassVar[bool] = False
    emits_radio: ClassVar[bool] = False
    pressed: ClassVar[bool] = False
    at_doors: ClassVar[bool] = False
    metered: ClassVar[bool] = False
    plays: ClassVar[bool] = False
    senses_people: ClassVar[bool] = False
    patient: ClassVar[bool] = False
    tells_state: ClassVar[bool] = False
    on_off: ClassVar[bool] = True
    is_module: ClassVar[bool] = False
    by_interval: ClassVar[bool] = False
    has_plug: ClassVar[bool] = False
    settles_s: ClassVar[float] = 2.0
    technology: ClassVar[str] = ""
    ranges: ClassVar[tuple[str, ...]] = ()
    sensitivities: ClassVar[tuple[str, ...]] = ()
    steps_scale_ranges: ClassVar[bool] = False
    placed_as: ClassVar[str] = ""
    ink: ClassVar[str] = "#8A6A3B"
    point_at: ClassVar[str] = "Click on the plan where it is mounted. Snaps to walls."

    id: Id
    name: str
    summary: str = ""
    power: Literal["battery", "mains", "usb", "host"]
    price: NotNegative
    mounts: tuple[Literal["wall", "corner", "ceiling", "low", "on"], ...]
    mount_height: Positive
    latency: Latency
    hold_s: NotNegative
    hold_min_s: NotNegative = 0.0
    hold_max_s: NotNegative | None = None
    hold_step_s: NotNegative | None = None
    battery: Battery | None = None
    watts: NotNegative = 0.0
    lead_m: Positive = 1.8
    needs_neutral: bool = False
    in_switch_box: bool = False
    load_w: NotNegative = 0.0
    radio: Literal["none", "mesh", "network", "wire"] = "mesh"
    relays: bool = False
    light: LightMeter | None = None
    ip: Annotated[str, msgspec.Meta(pattern=IP_PATTERN)] = "IP20"
    least_c: float = 0.0
    most_c: float = 40.0
    reliability: str = ""

    def summary_line(self) -> str:
        """The figures that decide, in one line."""
        return self.summary

    def facts(self) -> list[DeviceFact]:
        """What only its family has to say, the deciding facts first; a fact has the same label in every family."""
        return []

    def faults(self) -> Iterator[Fault]:
        """What its own figures contradict."""
        yield from ()

    def typical_latency_s(self) -> float:
        """Seconds it typically takes to report."""
        return self.latency.typical_s

    def reach_m(self) -> float:
        """Range on somebody moving, on axis; 0 for what watches only what it is fixed to."""
        return 0.0

    def still_reach_m(self) -> float:
        """Range on somebody who only breathes; 0 for what cannot."""
        return 0.0

    def common_faults(self) -> Iterator[Fault]:
        """What its power, mounting, latency and price contradict, whatever the family."""
        lag = self.latency
        if not lag.min_s <= lag.typical_s <= lag.max_s:
            bounds = f"the minimum {lag.min_s:g} s and the maximum {lag.max_s:g} s"
            yield "latency.typical_s", f"the typical {lag.typical_s:g} s is not between {bounds}"
        if lag.max_s > LONGEST_S:
            yield "latency.max_s", f"{lag.max_s:g} s is longer than a day"
        if not self.mounts:
            yield "mounts", "at least one mounting type is needed"
        if self.hold_max_s is not None and self.hold_max_s < self.hold_s:
            yield (
                "hold_max_s",
                f"the longest hold time of {self.hold_max_s:g} s is below its default of {self.hold_s:g} s",
            )
        if self.hold_min_s > self.hold_s:
            yield (
                "hold_min_s",
                f"the shortest hold time of {self.hold_min_s:g} s is above its default of {self.hold_s:g} s",
            )
        if self.price > DEAREST:
            yield "price", f"{self.price:g} is not a valid price"
        if self.least_c >= self.most_c:
            yield "most_c", f"the warmest {self.most_c:g} °C is not above the coldest {self.least_c:g} °C"
        if self.battery is not None and self.power != "battery":
            yield "battery", f"a device on {self.power} power has no batteries; leave them out"
        if self.power == "battery" and self.watts > 0:
            yield "watts", f"a battery cannot supply a device that draws {self.watts:g} W continuously"
        if self.power == "battery" and self.needs_neutral:
            yield "needs_neutral", "a battery-powered device needs no neutral"
        if self.relays and self.radio not in ("mesh", "network"):
            yield "relays", f"it cannot be a repeater without a radio (radio is {self.radio})"
        if self.relays and self.power == "battery":
            yield "relays", "a battery-powered device sleeps, so it cannot be a repeater"
        if self.light is not None:
            yield from _light_faults(self.light)


def _light_faults(m: LightMeter) -> Iterator[Fault]:
    if m.kind == "continuous" and m.low_lux >= m.high_lux:
        yield "light.high_lux", f"the range from {m.low_lux:g} to {m.high_lux:g} lux is empty"
    if m.kind == "flag" and m.flag_lux is None:
        yield "light.flag_lux", "a light/dark flag needs a threshold"


def light_words(m: LightMeter | None) -> str:
    """A light meter in words."""
    if m is None:
        return "none"
    if m.kind == "flag":
        return f"light/dark at {m.flag_lux:g} lux"
    return f"{m.low_lux:g} to {m.high_lux:g} lux"
