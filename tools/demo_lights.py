"""What the sample project lights and switches: lamps, scenes, ladders, a button, and what is no lamp."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from vastwatch.design.expressions import AllOf, ClockTime, ConclusionRef, Dark, Fact
from vastwatch.design.records import (
    Blind,
    Button,
    Fan,
    LadderRow,
    Lamp,
    LampGroup,
    LampLevel,
    Machine,
    OutputRow,
    Scene,
    Sign,
)


def lamp(ident: str, room: str, name: str, x: float, y: float, watts: float) -> Lamp:
    return Lamp(id=ident, room=room, name=name, at=(x, y), watts=watts, lumens=round(watts * 95))


LAMPS = (
    lamp("lamp-throwing", "throwing", "Throwing room light", 2.6, 5.6, 36),
    lamp("lamp-shop", "shop", "Shop light", 3.6, 1.9, 42),
    lamp("lamp-passage", "passage", "Stair foot light", 5.85, 4.9, 12),
    lamp("lamp-toilet", "toilet", "Toilet light", 5.4, 6.4, 9),
    lamp("lamp-glazing", "glazing", "Glazing light", 9.3, 5.4, 40),
    lamp("lamp-kiln", "kiln", "Kiln light", 7.4, 2.4, 18),
    lamp("lamp-store", "store", "Store light", 10.8, 1.8, 12),
    lamp("lamp-sitting", "sitting", "Sitting room light", 2.5, 5.3, 24),
    lamp("lamp-kitchen", "kitchen", "Kitchen light", 2.4, 1.5, 28),
    lamp("lamp-landing", "landing", "Landing light", 5.9, 4.9, 10),
    lamp("lamp-bath", "bath", "Bathroom light", 5.85, 6.5, 12),
    lamp("lamp-bedroom", "bedroom", "Bedroom light", 9.3, 5.0, 18),
    lamp("lamp-box", "box", "Box room light", 9.4, 1.9, 16),
    replace(
        lamp("lamp-window-seat", "sitting", "Window seat lamp", 3.5, 7.1, 7), zone="zone-window-seat", height_m=1.6
    ),
    replace(lamp("lamp-shelves", "sitting", "Shelf lights", 4.45, 3.75, 8), height_m=2.1, standby_w=0.3),
    replace(lamp("lamp-floor", "sitting", "Floor lamp", 4.3, 4.6, 6), height_m=1.5, least_level=0.05, standby_w=0.3),
)


def scene(ident: str, room: str, name: str, fade_s: float, **levels: float) -> Scene:
    """A scene; the lamps by what follows `lamp-` in their ids."""
    named = (LampLevel(lamp=f"lamp-{x.replace('_', '-')}", level=v, fade_s=fade_s) for x, v in levels.items())
    return Scene(id=ident, room=room, name=name, levels=tuple(named))


SCENES = (
    scene("scene-film", "sitting", "Film", 4.0, floor=0.1), scene("scene-pause", "sitting", "Pause", 2.0, floor=0.5),
    scene("scene-evening", "sitting", "Evening", 2.0, sitting=1.0, floor=0.4),
    scene("scene-passage", "passage", "Passage", 0.5, passage=1.0), scene("scene-passage-night", "passage", "Night path", 2.0, passage=0.15),
    scene("scene-landing", "landing", "Landing", 0.5, landing=1.0), scene("scene-landing-night", "landing", "Night path", 2.0, landing=0.15),
    scene("scene-toilet", "toilet", "Toilet", 0.0, toilet=1.0), scene("scene-toilet-night", "toilet", "Night", 1.0, toilet=0.3),
    scene("scene-shelves", "sitting", "Shelves", 4.0, shelves=0.6), scene("scene-shelves-faint", "sitting", "Shelves, faint", 4.0, shelves=0.15),
)  # fmt: skip

NIGHT = ClockTime(begin="23:00", end="06:00")


def here(room: str, *more: Any) -> AllOf:
    """Somebody in a room, and dark, and more."""
    return AllOf(of=(ConclusionRef(presence=f"presence-{room}"), Dark(room=room), *more))


def rule(ident: str, room: str, name: str, when: Any, of: str, group: str | None = None) -> LadderRow:
    return LadderRow(id=f"row-{ident}", room=room, group=group, name=name, when=when, scene=f"scene-{of}")


GROUPS = (LampGroup(id="lamps-shelves", room="sitting", name="Shelves", lamps=("lamp-shelves",)),)


RULES = (
    rule("film", "sitting", "A film is playing, and dark", AllOf(of=(Fact(what="film", room="sitting"), Dark(room="sitting"))), "film"),
    rule("pause", "sitting", "The film is paused, and dark", AllOf(of=(Fact(what="paused", room="sitting"), Dark(room="sitting"))), "pause"),
    rule("evening", "sitting", "Somebody there, and dark", here("sitting"), "evening"),
    rule("passage-night", "passage", "Somebody passes at night", here("passage", NIGHT), "passage-night"),
    rule("passage", "passage", "Somebody passes, and dark", here("passage"), "passage"),
    rule("landing-night", "landing", "Somebody passes at night", here("landing", NIGHT), "landing-night"),
    rule("landing", "landing", "Somebody passes, and dark", here("landing"), "landing"),
    rule("toilet-night", "toilet", "Somebody there at night", here("toilet", NIGHT), "toilet-night"),
    rule("toilet", "toilet", "Somebody there", here("toilet"), "toilet"),
    rule("shelves-film", "sitting", "Behind the film", AllOf(of=(Fact(what="film", room="sitting"), Dark(room="sitting"))), "shelves-faint", "lamps-shelves"),
    rule("shelves", "sitting", "Somebody there of an evening", here("sitting", ClockTime(begin="17:00", end="23:00")), "shelves", "lamps-shelves"),
)  # fmt: skip

BUTTONS = (Button(id="button-sofa", room="sitting", name="Button by the sofa", at=(2.7, 4.4), ends="vacancy"),)

OUTPUTS = (
    Fan(
        id="fan-kiln", room="kiln", name="Kiln fan", at=(9.3, 3.1), watts=45, least_run_s=300, least_rest_s=120,
        rows=(
            OutputRow(name="The kiln cools", when=ClockTime(begin="18:00", end="22:00"), level=1.0),
            OutputRow(name="The kiln is hot", when=ClockTime(begin="22:00", end="06:00"), level=0.4),
        ),
    ),
    Machine(
        id="extractor", room="sitting", name="Quiet extractor", at=(0.4, 6.4), watts=28, least_run_s=120, least_rest_s=60,
        rows=(
            OutputRow(name="A film is playing", when=Fact(what="film", room="sitting"), level=0.0),
            OutputRow(name="Somebody is on a call", when=Fact(what="call", room="sitting"), level=0.0),
            OutputRow(name="By day", when=ClockTime(begin="08:00", end="22:30"), level=0.6),
        ),
    ),
    Sign(
        id="sign-shop", room="shop", name="Sign on the door", at=(0.4, 2.7), watts=4, least_run_s=60,
        rows=(
            OutputRow(
                name="Open, and somebody there",
                when=AllOf(of=(ClockTime(begin="09:00", end="17:30", days="workday"), ConclusionRef(presence="presence-shop"))),
            ),
        ),
    ),
    Blind(
        id="cover-shop", room="shop", name="Shop shutter", at=(2.6, 0.35), watts=0, window="shop-window", moves_a_day=2,
        rows=(OutputRow(name="Closed for the night", when=ClockTime(begin="sunset+00:30", end="07:30")),),
    ),
)  # fmt: skip
