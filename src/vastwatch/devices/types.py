"""The figures of a device type that any calculation uses.

Every range is on axis and for a catalogue mounting height. Latency is a property of the type, never of its
technology: there are slow PIRs and quick radars.
"""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import msgspec

from vastwatch.site.record import Id, NotNegative, Positive, Record

Degrees = Annotated[float, msgspec.Meta(gt=0, le=360)]


class Latency(Record, frozen=True, kw_only=True):
    """Seconds from the first notice to the report: least, typical, most."""

    min_s: NotNegative
    typical_s: NotNegative
    max_s: NotNegative


class _Type(Record, frozen=True, kw_only=True, tag_field="family"):
    family: ClassVar[str]

    id: Id
    name: str
    summary: str
    power: Literal["battery", "mains", "usb"]
    price: NotNegative
    mounts: tuple[Literal["wall", "corner", "ceiling", "low"], ...]
    mount_height: Positive
    latency: Latency
    hold_s: NotNegative


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
    sigma_r_m: NotNegative = 0.15
    bias_r_m: float = 0.35


DeviceType = PirType | RadarType
