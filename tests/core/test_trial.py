"""A stay at a spot, tried a hundred times: against the law of silences, against arithmetic, and without anybody."""

from __future__ import annotations

import json
import math

import numpy as np
import pytest
from msgspec.structs import replace

from samples import device, make_room, shelf_at
from vastwatch import cli
from vastwatch.advice.detection.gap_model import hours_per_false_off
from vastwatch.advice.detection.spot_detection import spot_detections
from vastwatch.advice.detection.stay_trial import in_words, run_stay_trial
from vastwatch.control.manual.manual_switching import AGAIN_S, PRESS_S
from vastwatch.control.manual.reactions import MAX_VAIN_WAVES
from vastwatch.design.edits.sensors import add_sensor, set_hold
from vastwatch.design.expressions import AllOf, Hold, Report
from vastwatch.design.project import put
from vastwatch.rehearsal import rehearse
from vastwatch.sensing.coverage import spot_notice_s
from vastwatch.site.people import WAVE_AFTER_S


@pytest.mark.parametrize("activity", ["desk", "hands-on", "reading"])
def test_a_long_stay_drops_as_often_as_its_silences_say(activity):
    room = make_room(people=())
    room = put(room, replace(room.spots[0], activity=activity, at=(3.0, 2.5)))
    wait = spot_notice_s(room, "pir", room.spots[0]) - device("pir-corner-12").latency.typical_s
    hold = max(round(wait * 2), 30.0)
    # Long enough that nearly all go dark once. A report lasts as long as the device holds by itself.
    expected = 3600 * hours_per_false_off(spot_detections(room, ["pir"], room.spots[0]), hold, activity)
    t = run_stay_trial(set_hold(room, "here", hold), "chair", min(8 * expected, 86_400.0), 150)
    assert t.share_never_dark < 0.03
    assert np.minimum(t.first_dark_s, t.stay_s).mean() == pytest.approx(expected, rel=0.25)
    assert t.drops > 2 and t.waves > 0


def test_an_unseen_seat_is_arithmetic():
    """Behind a cupboard no sensor sees past: dark when the hold is over, three vain waves, to the switch, and again."""
    room = make_room(people=(), furnishings=(shelf_at(2.0, 0.2, 2.4, 3.8, 2.4),))
    room = put(set_hold(room, "here", 60.0), replace(room.spots[0], activity="desk"))
    t = run_stay_trial(room, "chair", 3600.0, 10)
    # The report as a whole is late.
    first = 60.0 + device("pir-corner-12").hold_s + device("pir-corner-12").latency.typical_s
    assert t.first_dark_s == pytest.approx(np.full(10, first), abs=1e-6)
    cycle = MAX_VAIN_WAVES * WAVE_AFTER_S + AGAIN_S + PRESS_S + 60.0
    assert t.drops == 1 + (3600 - first) // cycle
    assert t.trips == pytest.approx((3600 - first) / cycle, abs=1) and t.waves == pytest.approx(3 * t.trips, abs=3)
    assert t.share_never_dark == 0 and t.dark_within(0.5) == pytest.approx(first)
    assert t.lit_share[-1] in (0.0, 1.0) and t.lit_share[3] == 0.0
    assert "trips to the switch" in in_words(t)
    # A sleeper, and anybody who watches a film, sits in it.
    for activity in ("sleeping", "film"):
        quiet = run_stay_trial(put(room, replace(room.spots[0], activity=activity)), "chair", 3600.0, 10)
        assert quiet.waves == quiet.trips == quiet.drops == quiet.dark_s == 0 and not quiet.asked
        assert quiet.dark_within(0.5) == pytest.approx(first) and "nobody is left in the dark" in in_words(quiet)


def test_a_seat_that_is_seen_at_rest_stays_lit(room):
    radar = device("radar-60-ceiling")
    near, _ = add_sensor(replace(room, people=()), radar, "g", (1.5, 1.5, 2.4), 0.0, -90.0)
    t = run_stay_trial(near, "chair")
    assert t.share_never_dark == 1.0 and t.drops == t.waves == 0 and t.dark_s < 5
    assert t.lit_share[1:].min() == 1.0 and math.isinf(t.dark_within(0.5))
    assert "never went off" in in_words(t)


def test_it_is_the_same_every_time_and_says_what_it_lacks(room, demo):
    assert (
        run_stay_trial(room, "chair", 3600.0, 20).first_dark_s.tolist()
        == run_stay_trial(room, "chair", 3600.0, 20).first_dark_s.tolist()
    )
    other = run_stay_trial(room, "chair", 3600.0, 20, seed=2)
    assert other.first_dark_s.tolist() != run_stay_trial(room, "chair", 3600.0, 20).first_dark_s.tolist()
    with pytest.raises(ValueError, match="has no presence"):
        run_stay_trial(demo, next(s.id for s in demo.spots if s.room == "kiln"))


def test_trial_at_the_command_line(capsys):
    assert cli.main(["trial", "--demo", "--spot", "left-wheel", "--minutes", "60", "--json"]) == 0
    said = json.loads(capsys.readouterr().out)
    assert said["minutes"] == 60 and said["trials"] == 100 and said["drops"] > 0
    assert said["first_dark_s"]["one_in_ten"] < 3600
    assert cli.main(["trial", "--demo", "--spot", "nowhere"]) == 1
    assert "unknown position 'nowhere'" in capsys.readouterr().err
    with pytest.raises(SystemExit):
        cli.main(["trial", "--demo", "--spot", "left-wheel", "--minutes", "0"])


def test_a_light_that_wants_both_sensors_is_waved_at_in_vain_more_often(room):
    """A wave that one of them misses brings no light: tried as it is rehearsed."""
    second = replace(room.sensors[0], id="pir2", name="PIR 2")
    both = Hold(of=AllOf(of=(Report(sensor="pir"), Report(sensor="pir2"))), seconds=30.0)
    wants = replace(room, sensors=(*room.sensors, second), presences=(replace(room.presences[0], expr=both),))
    t = run_stay_trial(wants, "chair", 3600.0, 20)
    one = run_stay_trial(replace(room, presences=(replace(room.presences[0], expr=Hold(of=both.of.of[0], seconds=30.0)),)),
               "chair", 3600.0, 20)  # fmt: skip
    assert t.drops > 0 and t.waves / t.drops > 1.2 * one.waves / one.drops
    scores = rehearse(wants, 3, 1).scores["big"]
    assert scores.waves > 0 and scores.switch_trips > 0
