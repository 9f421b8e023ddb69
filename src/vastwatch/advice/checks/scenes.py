"""Checks of scenes, ladders, hands and outputs: rows that never win, presses without an end, light that nobody can have
or nobody wants, modules that cannot do what is asked of them."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from vastwatch.advice.checks.finding import Finding, RemedyText
from vastwatch.advice.scenes.ladder_states import has_ladder, never_wins, shadowing, stuck
from vastwatch.advice.scenes.light_feedback import feedback
from vastwatch.control.light.illuminance import spot_lux, spot_target_lux
from vastwatch.control.lighting import demanded_light, lit_only_when_empty
from vastwatch.design.conclusions import facts_read
from vastwatch.design.expressions import ClockTime, Dark, Expr, Fact, Report, every_part
from vastwatch.design.ladders import delayed_rows, ladders_in, rows_of, scene_levels
from vastwatch.design.needs import CHECK_CODE, light_spots
from vastwatch.design.places import room_of
from vastwatch.design.project import Project, find
from vastwatch.design.records import Blind, GuardedOutput, Setback
from vastwatch.design.relations import buttons_in, lamps_in
from vastwatch.memo import memoised
from vastwatch.rehearsal import Rehearsal, rehearse
from vastwatch.rehearsal.scoring.incidents import IDLE_S

# Days that are simulated to see which rows win; more rooms with ladders than this are not.
DAYS, MOST_ROOMS = 7, 60
# Light over sleepers for so many minutes a day, and so many flickers, are worth a word; so much light less than asked.
OVER_MIN, FLICKERS, SHORT = 1.0, 3.0, 0.9
# An output that bothers somebody for so long a day, minutes.
BOTHERS_MIN = 2.0
# A way that no row lights for so long in a week, for somebody who is noticed in the dark, can go dark, seconds.
DARK_S = 300.0


def rows_that_never_win(project: Project) -> Iterator[Finding]:
    """Rows that did not win for a moment of a week, and because of what."""
    r = _week(project)
    if r is None:
        return
    for room, did, k in never_wins(r):
        row, name = did.rows[k], did.rows[k].name or f"row {k + 1}"
        above = shadowing(did, k)
        where = find(project.rooms, room).name
        if did.group_name:
            where = f"{where}, {did.group_name}"
        if above:
            over = did.rows[above[0]].name or f"row {above[0] + 1}"
            text = f"{where}: row “{name}” never wins; “{over}” above it applies whenever it does."
            help_ = RemedyText(f"Move it above “{over}” in Scenes (Alt+Up).")
            yield Finding("scene-shadowed", "risk", (row.id,), text, (help_,), room)
        elif did.row_signals[k].total() == 0:
            text = f"{where}: row “{name}” never applied in a week."
            yield Finding("scene-never-wins", "note", (row.id,), text, (), room)
        else:
            text = f"{where}: row “{name}” never wins; between them, the rows above apply whenever it does."
            yield Finding("scene-shadowed", "risk", (row.id,), text, (), room)


def presses_without_end(project: Project) -> Iterator[Finding]:
    """What a hand does must expire sensibly; and a button does something only above a ladder."""
    for room in project.rooms:
        for words in stuck(project, room.id):
            ids = tuple(b.id for b in buttons_in(project, room.id))
            advice = (RemedyText("End the override when the room is empty, or after some minutes."),)
            yield Finding("scene-no-end", "wrong", ids, f"{room.name}: {words}", advice, room.id)
        if buttons_in(project, room.id) and not has_ladder(project, room.id):
            b = buttons_in(project, room.id)[0]
            text = f"{room.name}: {b.name} has no effect, because the room has no ladder to override."
            yield Finding("scene-button", "risk", (b.id,), text, (RemedyText("Add one in Scenes."),), room.id)


def light_over_sleepers(project: Project) -> Iterator[Finding]:
    """Night light that is brighter than sleepers bear, and light that will not rest."""
    r = _week(project)
    if r is None:
        return
    for room in r.house.ladders:
        scores, name = r.light_scores[room], find(project.rooms, room).name
        ids = tuple(row.id for row in rows_of(project, room))
        if scores.over_sleepers_min > OVER_MIN:
            text = f"{name}: {scores.over_sleepers_min:.0f} min a day of light too bright for somebody asleep."
            advice = (RemedyText("Add a row above for when somebody is in bed, with the lowest lamp at 10 %."),)
            yield Finding("scene-night-bright", "risk", ids, text, advice, room)
        if scores.flickers > FLICKERS:
            text = f"{name}: its light changes and changes back within 10 s, {scores.flickers:.0f} times a day."
            advice = (
                RemedyText("Require a row's condition to last 2 s before it counts, or hold it a little longer."),
            )
            yield Finding("scene-flickers", "note", ids, text, advice, room)


def ways_that_can_go_dark(project: Project) -> Iterator[Finding]:
    """Stairs and exit routes whose ladder has no light for somebody who is noticed in the dark; rows in an odd
    order."""
    r = _week(project)
    for room in project.rooms:
        if not has_ladder(project, room.id):
            continue
        ids = tuple(row.id for row in rows_of(project, room.id))
        late = delayed_rows(project, room.id)
        if late:
            text = (
                f"{room.name}: the row “{late[0].name}” delays the light, so no hold time can be evaluated. Put "
                "the delay into the conclusion instead."
            )
            yield Finding("scene-delays", "note", (late[0].id,), text, (), room.id)
        if r is None:
            continue
        recording = r.recording
        if lit_only_when_empty(project, room.id, recording).total() > IDLE_S:
            text = (
                f"{room.name}: its ladder dims the light on people who are noticed: a row above sets less than "
                "one below it."
            )
            yield Finding(
                "scene-takes-light", "wrong", ids, text, (RemedyText("Change the order of these rows."),), room.id
            )
        if room.use not in ("stair", "passage", "corridor"):
            continue
        without = r.house.conclusions.dark[room.id] - demanded_light(project, room.id, recording)
        if without.total() > DARK_S:
            hours = without.total() / 3600.0 / r.days
            text = (
                f"{room.name} can go dark: for {hours:.1f} h a day no row lights it for people who are noticed. "
                f"Stairs and exit routes must fail to ON ({CHECK_CODE})."
            )
            advice = (RemedyText("Add a last row for occupied and dark."),)
            yield Finding("scene-stair-dark", "wrong", ids, text, advice, room.id)


def modules_and_lamps(project: Project) -> Iterator[Finding]:
    """Levels that a module or a lamp cannot give, and dimmers below their least load."""
    for circuit in project.circuits:
        module = next((d for d in project.devices if d.id == circuit.module), None)
        if module is None:
            continue
        dims = getattr(module, "dims", False)
        lamps = [find(project.lamps, x) for x in circuit.lamps]
        dimmed = [
            x for x in lamps if any(0 < lv.level < 1 for s in project.scenes for lv in s.levels if lv.lamp == x.id)
        ]
        load = sum(x.watts for x in lamps)
        least = getattr(module, "least_load_w", 0.0)
        if dimmed and not dims:
            text = f"{circuit.name}: {module.name} cannot dim, but scenes dim {dimmed[0].name}."
            advice = (RemedyText("Use a dimming module; until then the lamp is on or off."),)
            yield Finding("scene-cannot-dim", "risk", (circuit.id, dimmed[0].id), text, advice, dimmed[0].room)
        elif dims and 0 < load < least:
            text = (
                f"{circuit.name}: {load:g} W is less than the {least:g} W that {module.name} needs to dim without "
                "flicker."
            )
            advice = (RemedyText("Add a lamp, a suitable load resistor, or another module."),)
            yield Finding("scene-least-load", "risk", (circuit.id,), text, advice, lamps[0].room if lamps else None)
    for lamp in project.lamps:
        if not lamp.dims and any(0 < lv.level < 1 for s in project.scenes for lv in s.levels if lv.lamp == lamp.id):
            text = f"{lamp.name} cannot be dimmed, but scenes dim it: it is fully on there."
            yield Finding("scene-cannot-dim", "risk", (lamp.id,), text, (), lamp.room)


def self_lit_sensors(project: Project) -> Iterator[Finding]:
    """A room that is dark by a sensor which its own lamps light."""
    for room in project.rooms:
        found = feedback(project, room.id)
        if found is None or not found.oscillates:
            continue
        sensor = find(project.sensors, found.sensor)
        text = (
            f"{room.name}: its lamps raise {sensor.name} by {found.self_lux:.0f} lux, from {found.below:.0f} "
            f"to above {found.until:.0f}: the light would cycle every {found.every_s:.0f} s."
        )
        advice = (
            RemedyText(
                f"Set dark below {found.below:.0f}, bright above {found.cure:.0f} lux; or mount it away from the lamps."
            ),
        )
        yield Finding("scene-blinks", "wrong", (sensor.id,), text, advice, room.id)


def too_little_light(project: Project) -> Iterator[Finding]:
    """Spots that all lamps of the room together, at the brightest scene, do not give what they ask for."""
    for room in project.rooms:
        if not has_ladder(project, room.id):
            continue
        full = spot_lux(project, room.id)
        most = {lamp.id: 0.0 for lamp in lamps_in(project, room.id)}
        for ladder in ladders_in(project, room.id):
            goals = scene_levels(ladder.lamps, ladder.scenes).goals.max(axis=0)
            most |= {lamp.id: float(goal) for lamp, goal in zip(ladder.lamps, goals)}
        short = []
        for spot in light_spots(project, room.id):
            if not spot.asks_for_light or (spot.activity == "passing" and spot.lux is None):
                continue
            gives, wants = sum(most[x] * full[spot.id].get(x, 0.0) for x in most), spot_target_lux(project, spot)
            if gives < SHORT * wants:
                short.append((gives / max(wants, 1e-9), spot, gives, wants))
        if short:
            _, spot, gives, wants = min(short, key=lambda x: x[0])
            text = f"{room.name}: the brightest scene gives {gives:.0f} of {wants:.0f} lux at the {spot.name}."
            advice = (RemedyText("Add a lamp nearer to it, or one with more lumens."),)
            yield Finding("scene-too-dim", "note", (spot.id,), text, advice, room.id)


def outputs_by_presence(project: Project) -> Iterator[Finding]:
    """Heat that follows presence alone, covers without a window, machines that bother."""
    for output in project.outputs:
        if isinstance(output, Setback) and output.rows and not any(_besides(project, row.when) for row in output.rows):
            text = f"{output.name}: heating must never follow presence alone, and its rows contain nothing else."
            advice = (RemedyText("Add a clock or window contact condition; the thermostat stays above everything."),)
            yield Finding("scene-heat", "caution", (output.id,), text, advice, output.room)
        if isinstance(output, Blind) and output.window is None:
            text = f"{output.name} has no window: choose one in its settings."
            yield Finding("scene-cover", "note", (output.id,), text, (), output.room)
    r = _week(project)
    if r is None:
        return
    for ident, scores in r.output_scores.items():
        if scores.bothered_min > BOTHERS_MIN:
            output = next(o for o in project.outputs if o.id == ident)
            text = f"{output.name} runs {scores.bothered_min:.0f} min a day while it disturbs somebody."
            advice = (RemedyText("Add a row above that keeps it off while somebody sleeps or a film plays."),)
            yield Finding("scene-bothers", "risk", (ident,), text, advice, output.room)


def films_without_player(project: Project) -> Iterator[Finding]:
    """Rooms of which it is asked whether a film plays, with no media player on the plan that would tell."""
    asking: dict[str, list[str]] = {}
    every = (
        *((p.id, p.expr) for p in project.presences), *((r.id, r.when) for r in project.rules),
        *((o.id, x) for o in project.outputs for x in (*(row.when for row in o.rows), *o.locks)),
    )  # fmt: skip
    for ident, expr in every:
        for what, room in facts_read(expr):
            if what in ("film", "paused"):
                asking.setdefault(room, []).append(ident)
    told = {
        home.id
        for s in project.sensors
        if find(project.devices, s.device).plays and (home := room_of(project, s)) is not None
    }
    for room_id, ids in asking.items():
        if room_id not in told:
            name = find(project.rooms, room_id).name
            text = f"{name}: a row depends on whether a film plays there, but nothing on the plan reports that."
            advice = (RemedyText("Add a media player to the room: it reports playing and pausing."),)
            yield Finding("scene-untold", "note", tuple(dict.fromkeys(ids)), text, advice, room_id)


def _besides(project: Project, expr: Expr) -> bool:
    """Whether anything but presence has a say in an expression: the clock, the dark, a fact, a contact."""
    for part in every_part(expr):
        if isinstance(part, ClockTime | Dark | Fact):
            return True
        if isinstance(part, Report):
            sensor = find(project.sensors, part.sensor)
            if not find(project.devices, sensor.device).senses_people:
                return True
    return False


def _week(project: Project) -> Rehearsal | None:
    """A week of a project with ladders or outputs; None where there are none, or too many."""
    rooms = sum(has_ladder(project, r.id) for r in project.rooms)
    asked = rooms or any(isinstance(o, GuardedOutput) and o.rows for o in project.outputs)
    if not asked or rooms > MOST_ROOMS or not project.people:
        return None
    return _lived(project)


@memoised
def _lived(project: Project) -> Rehearsal:
    return rehearse(project, DAYS, 1)


CHECKS: tuple[Callable[[Project], Iterator[Finding]], ...] = (
    rows_that_never_win, presses_without_end, light_over_sleepers, ways_that_can_go_dark, modules_and_lamps,
    self_lit_sensors, too_little_light, outputs_by_presence, films_without_player,
)  # fmt: skip
