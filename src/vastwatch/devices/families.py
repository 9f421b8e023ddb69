"""The families of device types: what each can do, what it says of itself, and what it cannot claim.

Every range is on axis and for the type's own mounting height. A new family is a class here (in `non_presence_families`
where it notices nobody), its types in the catalogue, its model in `sensing.families`, and its look on the desk.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated, Literal, get_args

import msgspec

from vastwatch.devices.non_presence_families import HumidityType, LightType, ModuleType, PlayerType
from vastwatch.devices.types import FARTHEST_M, BaseType, Degrees, DeviceFact, Fault, ZoneRules
from vastwatch.site.record import NotNegative, Positive


class PirType(BaseType, frozen=True, kw_only=True, tag="pir"):
    """A passive infrared sensor.

    `tangential_m`, `radial_m`, `minor_m`: range on somebody walking across, walking towards, and moving only the
    hands or head, at `mount_height` and 21 C. `fov_h` is the full horizontal angle; for a `ceiling` lens it is the
    full cone angle about straight down. `beam_pitch` is the angle between neighbouring beams in azimuth,
    `beam_pitch_el` in elevation; the beams of a wall lens spread `span_up` above and `span_down` below its axis.
    `edge_share` is the range left at the edge of the field of view. After a report of `hold_s` beyond the last
    motion it is blind for `rearm_s`.
    """

    family = "pir"
    heading = "Passive infrared"
    called = "PIR"
    watches = "area"
    presence = True
    starts = True
    senses_people = True
    infrared = True
    settles_s = 30.0
    technology = "PIR"
    ink = "#2B6CB0"
    ranges = ("tangential_m", "radial_m", "minor_m")
    sensitivities = ("infrared_below_max",)
    steps_scale_ranges = True

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

    def summary_line(self) -> str:
        ranges = f"{self.tangential_m:g} m across, {self.radial_m:g} m towards, {self.minor_m:g} m hands"
        return f"{ranges}; {self.fov_h:.0f}°; reports in {self.latency.typical_s:g} s"

    def facts(self) -> list[DeviceFact]:
        return [
            DeviceFact("Moving, across", f"{self.tangential_m:g} m", self.tangential_m, 1),
            DeviceFact("Moving, towards", f"{self.radial_m:g} m", self.radial_m, 1),
            DeviceFact("Hands and head", f"{self.minor_m:g} m", self.minor_m, 1),
            DeviceFact("Sitting still", "blind", 0.0, 1),
            DeviceFact("Field of view", f"{self.fov_h:g}°", self.fov_h, 0),
            DeviceFact("Re-arm time", f"{self.rearm_s:g} s", self.rearm_s, -1),
            DeviceFact("Sensitivity steps", f"{self.steps}", self.steps, 1),
        ]

    def faults(self) -> Iterator[Fault]:
        if self.tangential_m > FARTHEST_M:
            yield "tangential_m", f"{self.tangential_m:g} m is beyond the range of any such sensor"
        if self.radial_m > self.tangential_m:
            yield "radial_m", f"a range of {self.radial_m:g} m towards is more than its {self.tangential_m:g} m across"
        if self.minor_m > self.radial_m:
            yield "minor_m", f"a range of {self.minor_m:g} m on hands is more than its {self.radial_m:g} m on walkers"
        if self.beam_pitch >= self.fov_h:
            yield "beam_pitch", f"beams {self.beam_pitch:g}° apart leave only one in a {self.fov_h:g}° field"
        if self.lens == "wall" and self.span_up + self.span_down <= 0:
            yield "span_down", "its beams spread neither up nor down"
        if self.lens == "ceiling" and self.fov_h >= 180:
            yield "fov_h", "a ceiling lens sees less than 180°"
        elif self.lens == "ceiling" and "ceiling" not in self.mounts:
            yield "mounts", "a ceiling lens must be mounted on the ceiling"
        if self.lens == "wall" and "ceiling" in self.mounts:
            yield "lens", "a wall lens cannot be mounted on the ceiling"

    def reach_m(self) -> float:
        return self.tangential_m


# No radar tells more zones, bands or people apart.
MOST_ZONES = 64


class RadarType(BaseType, frozen=True, kw_only=True, tag="radar"):
    """A radar presence sensor.

    `moving_m` and `still_m`: range on somebody walking, and on somebody who only breathes. A presence needs
    `confirm_of[0]` of `confirm_of[1]` successive frames. Antenna gain falls by 12 dB, both ways together, at the
    edge of `fov_h` x `fov_v`. Sensitivity has `steps` settings of 3 dB. One that looks down from the ceiling reaches
    less far on the floor than along the sight line: `floor_m`, `floor_still_m`, as its box says. It tells up to
    `targets` places apart, and takes up to `zones` zones by its `zone_rules`; or it has `bands` of distance, each
    `band_m` deep. What it reads scatters by `sigma_r_m` and `sigma_az_deg`, and is too long by `bias_r_m`
    and `scale_r` times what it is.
    """

    family = "radar"
    heading = "Radar"
    called = "Radar"
    watches = "area"
    presence = True
    through_walls = True
    tilt = -5.0
    senses_people = True
    sensitivities = ("sensitivity_below_max", "still_below_max")
    emits_radio = True
    patient = True
    tells_state = True
    settles_s = 8.0
    ink = "#14807A"

    band_ghz: Literal["5.8", "24", "60"]
    moving_m: Positive
    still_m: Positive
    floor_m: Positive | None = None
    floor_still_m: Positive | None = None
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
    zone_rules: ZoneRules | None = None
    bands: int = 0
    band_m: Positive = 0.75
    sigma_r_m: NotNegative = 0.15
    sigma_az_deg: NotNegative = 4.0
    bias_r_m: float = 0.35
    scale_r: Annotated[float, msgspec.Meta(ge=0.5, le=2)] = 1.0

    def summary_line(self) -> str:
        ranges = f"{self.band_ghz} GHz; {self.moving_m:g} m moving, {self.still_m:g} m still"
        return f"{ranges}; {self.fov_h:.0f}°; reports in {self.latency.typical_s:g} s"

    def facts(self) -> list[DeviceFact]:
        tracks = {"state": "whether", "distance": "distance", "xy": "X and Y"}[self.reports]
        bands = f"{self.zones} zones" if self.zones else f"{self.bands} bands" if self.bands else "none"
        return [
            DeviceFact("Moving, across", f"{self.moving_m:g} m", self.moving_m, 1),
            DeviceFact("Moving, towards", f"{self.moving_m:g} m", self.moving_m, 1),
            DeviceFact("Sitting still", f"{self.still_m:g} m", self.still_m, 1),
            *([DeviceFact("Floor radius", self._floor_words(), self.floor_m, 1)] if self.floor_m else []),
            DeviceFact("Field of view", f"{self.fov_h:g}° × {self.fov_v:g}°", self.fov_h, 0),
            DeviceFact("Sensitivity steps", f"{self.steps}", self.steps, 1),
            DeviceFact("Output", tracks),
            DeviceFact("Max. targets", f"{self.targets}", self.targets, 1),
            DeviceFact("Zones or bands", bands, max(self.zones, self.bands), 1),
            DeviceFact("Band", f"{self.band_ghz} GHz"),
        ]

    def _floor_words(self) -> str:
        still = f", {self.floor_still_m:g} m still" if self.floor_still_m else ""
        return f"{self.floor_m:g} m moving{still}"

    def faults(self) -> Iterator[Fault]:
        if self.moving_m > FARTHEST_M:
            yield "moving_m", f"{self.moving_m:g} m is beyond the range of any such sensor"
        if self.still_m > self.moving_m:
            words = f"a range of {self.still_m:g} m on somebody still is more than its {self.moving_m:g} m on movers"
            yield "still_m", words
        if self.min_gate_m >= self.max_gate_m:
            words = f"the farthest gate of {self.max_gate_m:g} m is not beyond the nearest of {self.min_gate_m:g} m"
            yield "max_gate_m", words
        for field, floor, sight in (
            ("floor_m", self.floor_m, self.moving_m), ("floor_still_m", self.floor_still_m, self.still_m),
        ):  # fmt: skip
            if floor is not None and "ceiling" not in self.mounts:
                yield field, "only a ceiling-mounted radar has a floor radius"
            elif floor is not None and floor > sight:
                yield field, f"a floor radius of {floor:g} m is more than the {sight:g} m along the line of sight"
        m, n = self.confirm_of
        if m > n:
            yield "confirm_of", f"{m} of {n} frames is impossible"
        if self.targets < 1:
            yield "targets", "it follows at least one target"
        if self.zones > 0 and self.reports == "state":
            yield "zones", "a radar that reports no position cannot have zones"
        if self.zones > 0 and self.zone_rules is None:
            yield "zones", "a device with zones needs rules for them"
        if self.zone_rules is not None:
            if self.zones < 1:
                yield "zone_rules.shape", "it does not support zones"
            within, of = self.zone_rules.confirm_of
            if within > of:
                yield "zone_rules.confirm_of", f"{within} of {of} reports is impossible"
            if self.zone_rules.step_m > self.zone_rules.least_m:
                yield "zone_rules.step", "a step of its values is more than its smallest zone"
            if self.zone_rules.off_delay_s > self.zone_rules.off_delay_max_s:
                yield "zone_rules.off_delay_max_s", "the longest delay is below its usual one"
        for field, many, most in (("zones", self.zones, MOST_ZONES), ("bands", self.bands, MOST_ZONES),
                                  ("targets", self.targets, MOST_ZONES)):  # fmt: skip
            if many > most:
                yield field, f"{many} is more than any such radar has"
        if self.zones < 0:
            yield "zones", "the number of zones cannot be negative"
        if self.bands > 0 and self.reports == "state":
            yield "bands", "a radar that reports no distance cannot have bands"

    def reach_m(self) -> float:
        return self.moving_m

    def still_reach_m(self) -> float:
        return self.still_m


class UltrasonicType(BaseType, frozen=True, kw_only=True, tag="ultrasonic"):
    """An ultrasonic motion sensor: it hears the Doppler shift that somebody moving puts on its own tone.

    `moving_m` and `minor_m`: range on somebody walking towards it and moving a hand or the head, in plain sight, on
    axis. `fov_h` is the full angle of its horns, 360 for one that fills the room around it. Sensitivity has `steps`
    of 3 dB.
    """

    family = "ultrasonic"
    ranges = ("moving_m", "minor_m")
    sensitivities = ("sensitivity_below_max",)
    heading = "Ultrasound"
    called = "Ultrasonic"
    watches = "area"
    presence = True
    senses_people = True
    patient = True
    settles_s = 4.0
    technology = "ultrasound"

    moving_m: Positive
    minor_m: Positive
    fov_h: Degrees
    steps: Annotated[int, msgspec.Meta(ge=1)] = 4

    def summary_line(self) -> str:
        ranges = f"{self.moving_m:g} m walking, {self.minor_m:g} m hands; fills its room"
        return f"{ranges}; reports in {self.latency.typical_s:g} s"

    def facts(self) -> list[DeviceFact]:
        return [
            DeviceFact("Moving, towards", f"{self.moving_m:g} m", self.moving_m, 1),
            DeviceFact("Hands and head", f"{self.minor_m:g} m", self.minor_m, 1),
            DeviceFact("Sitting still", "deaf", 0.0, 1),
            DeviceFact("Field of view", f"{self.fov_h:g}°", self.fov_h, 0),
            DeviceFact("Sensitivity steps", f"{self.steps}", self.steps, 1),
        ]

    def faults(self) -> Iterator[Fault]:
        if self.moving_m > FARTHEST_M:
            yield "moving_m", f"{self.moving_m:g} m is beyond the range of any such sensor"
        if self.minor_m > self.moving_m:
            words = f"a range of {self.minor_m:g} m on hands is more than its {self.moving_m:g} m on walkers"
            yield "minor_m", words

    def reach_m(self) -> float:
        return self.moving_m


class DualType(BaseType, frozen=True, kw_only=True, tag="dual"):
    """A PIR and a radar in one housing that report as one: whichever notices first.

    Each part is a whole type of its own, with its latency and hold; mounting, power and price are the housing's.
    """

    family = "dual"
    heading = "Infrared and radar"
    called = "PIR and radar"
    watches = "area"
    presence = True
    starts = True
    through_walls = True
    senses_people = True
    infrared = True
    emits_radio = True
    patient = True
    tells_state = True
    settles_s = 30.0
    placed_as = "radar"
    ink = "#14807A"
    # Both parts look a little down, at seats across a room (our figure).
    tilt = -8.0

    pir: PirType
    radar: RadarType

    def summary_line(self) -> str:
        ranges = f"infrared {self.pir.tangential_m:g} m across; radar {self.radar.still_m:g} m still"
        return f"{ranges}; reports in {self.latency.typical_s:g} s"

    def facts(self) -> list[DeviceFact]:
        seen = {f.label: f for f in self.radar.facts()}
        for fact in self.pir.facts():
            if fact.label not in ("Sitting still", "Field of view"):
                seen[fact.label] = fact
        return list(seen.values())

    def faults(self) -> Iterator[Fault]:
        for name, part in (("pir", self.pir), ("radar", self.radar)):
            yield from ((f"{name}.{field}", words) for field, words in (*part.common_faults(), *part.faults()))
        if ("ceiling" in self.mounts) != (self.pir.lens == "ceiling"):
            mounts = ", ".join(self.mounts)
            yield "pir.lens", f"a {self.pir.lens} lens does not fit where it is mounted ({mounts})"

    def typical_latency_s(self) -> float:
        return min(self.pir.latency.typical_s, self.radar.latency.typical_s)

    def reach_m(self) -> float:
        return max(self.pir.tangential_m, self.radar.moving_m)

    def still_reach_m(self) -> float:
        return self.radar.still_m


class MatType(BaseType, frozen=True, kw_only=True, tag="mat"):
    """A pressure strip, seat pad or door mat with its transmitter.

    The switch closes where the pressure reaches `closing_kpa` anywhere on its `pad` (width across, depth along its
    yaw, metres). `hold_s` is its off-delay; its on-delay is in the latency. A `foldable` one may lie folded, which
    raises the pressure (M4).
    """

    family = "mat"
    heading = "Pressure"
    called = "Mat"
    watches = "host"
    presence = True
    point_at = "Click a bed, a seat or a door."
    senses_people = True
    pressed = True
    patient = True
    technology = "mats"
    ink = "#7C4DA3"

    pad: tuple[Positive, Positive]
    closing_kpa: Positive
    foldable: bool = False

    def summary_line(self) -> str:
        size = f"{100 * self.pad[0]:.0f} × {100 * self.pad[1]:.0f} cm"
        return f"{size}, closes at {self.closing_kpa:g} kPa; off {self.hold_s:g} s after release"

    def facts(self) -> list[DeviceFact]:
        closes = f"{self.closing_kpa:g} kPa{', can be folded' if self.foldable else ''}"
        return [
            DeviceFact("Pad", f"{100 * self.pad[0]:.0f} × {100 * self.pad[1]:.0f} cm"),
            DeviceFact("Closing pressure", closes, self.closing_kpa, -1),
        ]


class ContactType(BaseType, frozen=True, kw_only=True, tag="contact"):
    """A reed contact and a magnet on a door or window: reports open or closed. `gap_mm`: the widest gap that still
    counts as closed."""

    family = "contact"
    heading = "Contacts"
    called = "Contact"
    watches = "host"
    point_at = "Click a door or window."
    at_doors = True

    gap_mm: Positive

    def summary_line(self) -> str:
        return f"gap up to {self.gap_mm:g} mm; reports in {self.latency.typical_s:g} s"

    def facts(self) -> list[DeviceFact]:
        return [DeviceFact("Gap", f"up to {self.gap_mm:g} mm", self.gap_mm, 1)]


class VibrationType(BaseType, frozen=True, kw_only=True, tag="vibration"):
    """Fixed to furniture; reports when it shakes. Chances that a large and a small movement on it are noticed."""

    family = "vibration"
    heading = "Vibration"
    called = "Vibration"
    watches = "host"
    presence = True
    point_at = "Click furniture or a machine."
    senses_people = True
    patient = True

    large_share: Annotated[float, msgspec.Meta(ge=0, le=1)]
    small_share: Annotated[float, msgspec.Meta(ge=0, le=1)]

    def summary_line(self) -> str:
        share = f"notices {100 * self.large_share:.0f} % of large movements on it"
        return f"{share}; reports in {self.latency.typical_s:g} s"

    def facts(self) -> list[DeviceFact]:
        return [
            DeviceFact("Large movements", f"{100 * self.large_share:.0f} %", self.large_share, 1),
            DeviceFact("Small movements", f"{100 * self.small_share:.0f} %", self.small_share, 1),
        ]


class PlugType(BaseType, frozen=True, kw_only=True, tag="plug"):
    """A plug that measures an appliance's power, and may switch it. Reports "in use" above `threshold_w`."""

    family = "plug"
    heading = "Plugs with meter"
    called = "Plug"
    watches = "host"
    point_at = "Click the machine it feeds."
    metered = True
    has_plug = True

    threshold_w: Positive
    switches: bool = True

    def summary_line(self) -> str:
        return f"in use above {self.threshold_w:g} W; up to {self.load_w:g} W"

    def facts(self) -> list[DeviceFact]:
        return [DeviceFact("In-use threshold", f"{self.threshold_w:g} W", self.threshold_w, -1)]


DeviceType = (
    PirType
    | RadarType
    | UltrasonicType
    | DualType
    | MatType
    | ContactType
    | VibrationType
    | PlugType
    | HumidityType
    | PlayerType
    | LightType
    | ModuleType
)


def parts_of(device: DeviceType) -> tuple[DeviceType, ...]:
    """The device types in one housing: its own parts, or itself alone."""
    return (device.pir, device.radar) if isinstance(device, DualType) else (device,)


def steps_of(device: DeviceType, sensitivity: str) -> int:
    """How many steps a sensitivity has on a type, in whichever of its parts; 0 where it has none such."""
    return max((getattr(p, "steps", 0) for p in parts_of(device) if sensitivity in p.sensitivities), default=0)


FAMILY_TYPES: tuple[type[BaseType], ...] = get_args(DeviceType)
FAMILIES = tuple(t.family for t in FAMILY_TYPES)
HEADINGS = {t.family: t.heading for t in FAMILY_TYPES}
# Families that watch an area from where they are mounted; those that watch what they are fixed to. The others sense
# nobody.
AREA_FAMILIES = tuple(t.family for t in FAMILY_TYPES if t.watches == "area")
TOUCH_FAMILIES = tuple(t.family for t in FAMILY_TYPES if t.watches == "host")
# The settings that count steps of sensitivity, of whichever family.
STEPPED = tuple(dict.fromkeys(setting for t in FAMILY_TYPES for setting in t.sensitivities))
