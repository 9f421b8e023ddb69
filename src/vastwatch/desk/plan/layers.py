"""The layers of the plan, from the ground up: what paints each, and what each reads that keeps its picture."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtGui import QPainter

from vastwatch.desk.plan import (
    coverage_layer,
    fixtures,
    furniture,
    ground,
    marks,
    over_coverage_layer,
    places,
    selection_layer,
    walk_layer,
    walls,
)
from vastwatch.desk.plan.light_layer import draw_spot_lux
from vastwatch.desk.plan.painting import Layer
from vastwatch.desk.plan.state import PlanState
from vastwatch.desk.plan.zones_drawn import draw_blind, draw_zones


def layers_of(state: PlanState, draw_tools: Callable[[QPainter, PlanState], None]) -> dict[str, Layer]:
    """All layers by name; `draw_tools` paints what the hand is about to do, above all else."""
    return {
        "ground": Layer(state, 0, ground.draw_ground, ground.reads_ground),
        "light": Layer(state, 0.2, ground.draw_light, ground.reads_light),
        "underlay": Layer(state, 0.5, fixtures.draw_underlay, fixtures.reads_underlay),
        "contours": Layer(state, 1, coverage_layer.draw_contours),
        "blind": Layer(state, 1.5, draw_blind),
        "furniture": Layer(state, 2, furniture.draw_furniture, furniture.reads_furniture),
        "walls": Layer(state, 2.2, walls.draw_walls, walls.reads_walls),
        "places": Layer(state, 2.4, places.draw_places, places.reads_places),
        "lamps": Layer(state, 2.5, places.draw_lamps, places.reads_lamps),
        "zones": Layer(state, 2.6, draw_zones),
        "fixtures": Layer(state, 3, fixtures.draw_fixtures, fixtures.reads_fixtures),
        "held": Layer(state, 3.2, selection_layer.draw_held),
        "sensors": Layer(state, 3.5, marks.draw_sensors),
        "beyond": Layer(state, 3.3, over_coverage_layer.draw_beyond),
        "walked": Layer(state, 3.8, walk_layer.draw_walked),
        "scene": Layer(state, 4, marks.draw_scene),
        "people": Layer(state, 5, marks.draw_people),
        "lux": Layer(state, 5.5, draw_spot_lux),
        "tools": Layer(state, 6, draw_tools),
    }
