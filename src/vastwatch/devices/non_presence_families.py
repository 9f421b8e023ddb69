"""The families of types that notice nobody: what measures the air or the light, what plays, what switches."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated

import msgspec

from vastwatch.devices.types import BaseType, DeviceFact, Fault, light_words
from vastwatch.site.record import NotNegative, Positive


class HumidityType(BaseType, frozen=True, kw_only=True, tag="humidity"):
    """Relative humidity and temperature: a shower is a fact about a bathroom. Says nothing about who is there."""

    family = "humidity"
    heading = "Humidity"
    called = "Humidity"
    by_interval = True

    accuracy_pct: Positive
    interval_s: Positive

    def summary_line(self) -> str:
        return f"± {self.accuracy_pct:g} % humidity, every {self.interval_s:g} s"

    def facts(self) -> list[DeviceFact]:
        return [DeviceFact("Accuracy", f"± {self.accuracy_pct:g} %", self.accuracy_pct, -1)]


class PlayerType(BaseType, frozen=True, kw_only=True, tag="player"):
    """A media player that tells what it does: "on" while it plays anything, and of films also that they are paused.
    Says nothing about who is there."""

    family = "player"
    heading = "Media players"
    called = "Media player"
    plays = True
    has_plug = True

    tells_length: bool = True

    def summary_line(self) -> str:
        told = "distinguishes clips from films" if self.tells_length else "does not distinguish clips from films"
        return f"playing, paused, off; {told}"

    def facts(self) -> list[DeviceFact]:
        told = "yes" if self.tells_length else "no"
        return [DeviceFact("Distinguishes clips and films", told, float(self.tells_length), 1)]


class LightType(BaseType, frozen=True, kw_only=True, tag="light"):
    """A light-level sensor alone; its figures are in `light`."""

    family = "light"
    heading = "Light level"
    called = "Light level"
    by_interval = True
    on_off = False

    def summary_line(self) -> str:
        return light_words(self.light)

    def faults(self) -> Iterator[Fault]:
        if self.light is None:
            yield "light", "a light-level sensor needs its range"


class ModuleType(BaseType, frozen=True, kw_only=True, tag="module"):
    """What switches or dims a circuit: behind the switch, in the ceiling, on a rail. `load_w`: the largest LED load;
    `least_load_w`: the least that it dims without flicker; `two_way`: works where two switches share the circuit."""

    family = "module"
    heading = "Switches, dimmers, relays"
    called = ""
    is_module = True
    on_off = False

    dims: bool = False
    channels: Annotated[int, msgspec.Meta(ge=1)] = 1
    two_way: bool = True
    least_load_w: NotNegative = 0.0

    def summary_line(self) -> str:
        dims, neutral = ", dims" if self.dims else "", ", needs a neutral" if self.needs_neutral else ""
        return f"up to {self.load_w:g} W{dims}{neutral}"

    def facts(self) -> list[DeviceFact]:
        return [
            DeviceFact("Dimmable", "yes" if self.dims else "no", float(self.dims), 1),
            DeviceFact("Two-way circuits", "yes" if self.two_way else "no", float(self.two_way), 1),
        ]

    def faults(self) -> Iterator[Fault]:
        if self.load_w <= 0:
            yield "load_w", "a switching module needs a maximum load"
