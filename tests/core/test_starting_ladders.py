"""Ladders and rows to begin from, over drawn houses: what is missing for them, and what a new row is."""

from __future__ import annotations

import pytest

from everything import everything
from vastwatch.design.edits.ladders import add_row, add_scene
from vastwatch.design.ladder_templates import STARTING, missing, row_to_add, template_rows
from vastwatch.design.ladders import ladder_rows
from vastwatch.files.check import faults_of


@pytest.mark.parametrize("seed", range(8))
def test_a_ladder_can_be_had_just_where_nothing_is_missing_for_it(seed):
    project = everything(seed)
    for room in project.rooms:
        for ladder in STARTING:
            lacks = missing(project, room.id, ladder)
            assert (template_rows(project, room.id, ladder) is None) == bool(lacks), (room.id, ladder.name, lacks)


@pytest.mark.parametrize("seed", range(6))
def test_a_row_that_is_added_is_new_to_its_ladder_named_and_sound(seed):
    project = everything(seed)
    for room in project.rooms:
        for _ in range(5):
            try:
                made = row_to_add(project, room.id)
            except ValueError:
                break
            before = ladder_rows(project, room.id)
            assert made.name and made.name not in [r.name for r in before]
            project, scene = add_scene(project, room.id, made.scene, made.levels)
            project, rule = add_row(project, room.id, made.name, made.when, scene.id, made.at)
            after = ladder_rows(project, room.id)
            assert len(after) == len(before) + 1 and after[made.at].id == rule.id
    assert not list(faults_of(project))
