"""The figures of a device type that any calculation uses.

Every range is on axis and for a catalogue mounting height. Latency is a property of the type, never of its
technology: there are slow PIRs and quick radars.
"""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import msgspec

from vastwatch.site.record import Id, NotNegative, Positive, Record

IP_PATTERN = r"^IP[0-6][0-9]$"
Degrees = Annotated[float, msgspec.Meta(gt=0, le=360)]


class Latency(Record, frozen=True, kw_only=True):
    """Seconds from the first notice to the report: least, typical, most."""

    min_s: NotNegative
    typical_s: NotNegative
    max_s: NotNegative


class Battery(Record, frozen=True, kw_only=True):
    """`count` cells in series; microamperes asleep, and milliamperes for so many milliseconds at each report."""

    cell: Literal["AAA", "AA", "CR2032", "CR2450", "CR123A", "CR2"]
    count: Annotated[int, msgspec.Meta(ge=1, le=8)] = 1
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


class _Type(Record, frozen=True, kw_only=True, tag_field="family"):
    family: ClassVar[str]

    id: Id
    name: str
    summary: str = ""
    power: Literal["battery", "mains", "usb", "host"]
    price: NotNegative
    mounts: tuple[Literal["wall", "corner", "ceiling", "low", "on"], ...]
    mount_height: Positive
    latency: Latency
    hold_s: NotNegative
    hold_max_s: NotNegative | None = None
    hold_step_s: NotNegative | None = None
    battery: Battery | None = None
    watts: NotNegative = 0.0
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


class PirType(_Type, frozen=True, kw_only=True, tag="pir"):
    """A passive infrared sensor.

    `tangential_m`, `radial_m`, `minor_m`: range on somebody walking across, walking towards, and moving only the
    hands or head, at `mount_height` and 21 C. `fov_h` is the full horizontal angle; for a `ceiling` lens it is the
    full cone angle about straight down. `beam_pitch` is the angle between neighbouring beams in azimuth,
    `beam_pitch_el` in elevation; the beams of a wall lens spread `span_up` above and `span_down` below its axis.
    `edge_share` is the range left at the edge of the field of view. After a report of `hold_s` beyond the last
    motion it is blind for `rearm_s`.
    """

    family = "pir"

    lens: Literal["wall", "ceiling"]
    tangential_m: Positive
    radial_m: Positive
    minor_m: Positive
    fov_h: Degrees
    span_up: NotNegative = 3.0
    span_down: NotNegative = 45.0
    beam_pitch: Degrees = 5.0
    beam_pitch_el: Degrees = 12.0
    edge_share: Annotated[float, msgspec.Meta(gt=0, le=1)] = 1 / 3
    rearm_s: NotNegative = 2.0
    steps: Annotated[int, msgspec.Meta(ge=1)] = 1


class RadarType(_Type, frozen=True, kw_only=True, tag="radar"):
    """A radar presence sensor.

    `moving_m` and `still_m`: range on somebody walking, and on somebody who only breathes. A presence needs
    `confirm_of[0]` of `confirm_of[1]` successive frames. Antenna gain falls by 12 dB, both ways together, at the
    edge of `fov_h` x `fov_v`. Sensitivity has `steps` settings of 3 dB.
    """

    family = "radar"

    band_ghz: Literal["5.8", "24", "60"]
    moving_m: Positive
    still_m: Positive
    fov_h: Degrees
    fov_v: Degrees
    frame_hz: Positive
    confirm_of: tuple[Annotated[int, msgspec.Meta(ge=1)], Annotated[int, msgspec.Meta(ge=1, le=8)]]
    reports: Literal["state", "distance", "xy"]
    min_gate_m: NotNegative = 0.2
    max_gate_m: Positive = 12.0
    steps: Annotated[int, msgspec.Meta(ge=1)] = 10
    targets: int = 1
    zones: int = 0
    bands: int = 0
    sigma_r_m: NotNegative = 0.15
    sigma_az_deg: NotNegative = 4.0
    bias_r_m: float = 0.35


class DualType(_Type, frozen=True, kw_only=True, tag="dual"):
    """A PIR and a radar in one housing that report as one: whichever notices first.

    Each part is a whole type of its own, with its latency and hold; mounting, power and price are the housing's.
    """

    family = "dual"

    pir: PirType
    radar: RadarType


class MatType(_Type, frozen=True, kw_only=True, tag="mat"):
    """A pressure strip, seat pad or door mat with its transmitter.

    The switch closes where the pressure reaches `closing_kpa` anywhere on its `pad` (width across, depth along its
    yaw, metres). `hold_s` is its off-delay; its on-delay is in the latency. A `foldable` one may lie folded, which
    raises the pressure (M4).
    """

    family = "mat"

    pad: tuple[Positive, Positive]
    closing_kpa: Positive
    foldable: bool = False


class ContactType(_Type, frozen=True, kw_only=True, tag="contact"):
    """A reed contact and a magnet on a door or window: reports open or closed. `gap_mm`: the widest gap that still
    counts as closed."""

    family = "contact"

    gap_mm: Positive


class VibrationType(_Type, frozen=True, kw_only=True, tag="vibration"):
    """Fixed to furniture; reports when it shakes. Chances that a large and a small movement on it are noticed."""

    family = "vibration"

    large_share: Annotated[float, msgspec.Meta(ge=0, le=1)]
    small_share: Annotated[float, msgspec.Meta(ge=0, le=1)]


class PlugType(_Type, frozen=True, kw_only=True, tag="plug"):
    """A plug that measures an appliance's power, and may switch it. Reports "in use" above `threshold_w`."""

    family = "plug"

    threshold_w: Positive
    switches: bool = True


class HumidityType(_Type, frozen=True, kw_only=True, tag="humidity"):
    """Relative humidity and temperature: a shower is a fact about a bathroom. Says nothing about who is there."""

    family = "humidity"

    accuracy_pct: Positive
    interval_s: Positive


class LightType(_Type, frozen=True, kw_only=True, tag="light"):
    """A light-level sensor alone; its figures are in `light`."""

    family = "light"


class ModuleType(_Type, frozen=True, kw_only=True, tag="module"):
    """What switches or dims a circuit: behind the switch, in the ceiling, on a rail. `load_w`: the largest LED load;
    `two_way`: works where two switches share the circuit."""

    family = "module"

    dims: bool = False
    channels: Annotated[int, msgspec.Meta(ge=1)] = 1
    two_way: bool = True


DeviceType = (
    PirType
    | RadarType
    | DualType
    | MatType
    | ContactType
    | VibrationType
    | PlugType
    | HumidityType
    | LightType
    | ModuleType
)
# Families that watch an area from where they hang; those that watch what they are fixed to; those that sense nobody.
AREA_FAMILIES = ("pir", "radar", "dual")
TOUCH_FAMILIES = ("mat", "contact", "vibration", "plug")
FAMILIES = (*AREA_FAMILIES, *TOUCH_FAMILIES, "humidity", "light", "module")
