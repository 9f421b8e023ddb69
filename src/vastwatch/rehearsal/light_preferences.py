"""What people of a truth want of a room's light beyond having it: darkness to sleep in, little of it at a film."""

from __future__ import annotations

from vastwatch.control.lighting import RoomRun, light_rule, lit_by_press, run_ladders
from vastwatch.control.manual.override import UNWANTED_S, LightPreferences, Override, UnderlyingLight, overrides
from vastwatch.control.recording import Recording
from vastwatch.design.ladders import scenes_in
from vastwatch.design.needs import needs_of
from vastwatch.design.presence import press_hold
from vastwatch.design.project import Project, find
from vastwatch.design.records import Button, Lamp, Scene
from vastwatch.design.relations import buttons_in, lamps_in, presence_of
from vastwatch.memo import memoised
from vastwatch.people.truth import Truth
from vastwatch.rehearsal.room_sensors.media_and_calls import player_in
from vastwatch.rng import key_of
from vastwatch.signals import Calendar, Signal, any_of
from vastwatch.signals.memoised_ops import always, never

# The most of all of a room's light that is borne where nothing else is said: by sleepers, and at a film.
ASLEEP_SHARE, FILM_SHARE = 0.15, 0.3


@memoised
def asleep_in(truth: Truth, room: str) -> Signal:
    """While somebody sleeps in a room, no matter who else is awake there."""
    return truth.stays_at(room, lambda spot: spot.activity == "sleeping")


def overrides_in(
    project: Project, room: str, truth: Truth, recording: Recording, did: RoomRun, own: Signal
) -> tuple[Override, ...]:
    """What hands do to the light of a room, given what its ladders did without them and while what lights it is
    concluded."""
    buttons = buttons_in(project, room)
    if not buttons:
        return ()
    lighting = presence_of(project, room)
    return _pressed(
        did, own, 0.0 if lighting is None else press_hold(lighting.expr), buttons, lamps_in(project, room),
        _bears(project, room),
        (asleep_in(truth, room), player_in(truth, room).film, truth.there(room).asking),
        light_rule(project, room, recording).demand, recording.calendar, key_of(truth.household.seed, "unwanted", room),
        project.brief.unwanted_off, scenes_in(project, room),
    )  # fmt: skip


def disturbing_light(project: Project, room: str, truth: Truth, recording: Recording) -> tuple[Signal, Signal]:
    """While somebody is given more of a room's light than they bear, were what lights it concluded all the time, and
    were it never: at every instant it is the one or the other."""
    asleep, film = asleep_in(truth, room), player_in(truth, room).film
    lamps, bears = lamps_in(project, room), _bears(project, room)
    runs = (run_ladders(project, room, recording, own) for own in (always(recording.end), never(recording.end)))
    present, absent = (never(recording.end) if r is None else _disturbed(r, lamps, bears, asleep, film) for r in runs)
    return present, absent


def long_enough(disturbed: Signal) -> bool:
    """Whether anybody would come to press a light away: it is borne for as long as that takes."""
    rows = disturbed.intervals
    return bool((rows[:, 1] - rows[:, 0] > UNWANTED_S).any())


def _bears(project: Project, room: str) -> float:
    most = needs_of(project, find(project.rooms, room)).asleep_share
    return ASLEEP_SHARE if most is None else most


@memoised
def _disturbed(did: RoomRun, lamps: tuple[Lamp, ...], asleep_share: float, asleep: Signal, film: Signal) -> Signal:
    over_sleep, over_film = (did.over(lamps, limit) for limit in (asleep_share, FILM_SHARE))
    return (asleep & over_sleep) | (film & over_film)


@memoised
def _pressed(
    did: RoomRun, own: Signal, hold_s: float, buttons: tuple[Button, ...], lamps: tuple[Lamp, ...],
    asleep_share: float, there: tuple[Signal, Signal, Signal], due: Signal, calendar: Calendar, luck: int,
    share: float, scenes: tuple[Scene, ...],
) -> tuple[Override, ...]:  # fmt: skip
    asleep, film, asking = there
    disturbed = _disturbed(did, lamps, asleep_share, asleep, film)
    wishes = LightPreferences(disturbed, (asking & due) - film, luck, share)
    beneath = UnderlyingLight(any_of(list(did.wanted.values())), own, hold_s, lit_by_press(did, scenes))
    return overrides(beneath, buttons, calendar, wishes)
