"""Words and marks can be read on the ground they stand on, by day and by night."""

from __future__ import annotations

import re
from itertools import pairwise

import pytest
from hands import settle
from PyQt6.QtGui import QColor

from vastwatch.desk.plan.light_layer import lux_ink
from vastwatch.desk.plan.places import name_colours
from vastwatch.desk.plan.state import PlanState
from vastwatch.desk.shell import theme
from vastwatch.files import load_demo


def contrast(a, b) -> float:
    def luminance(c):
        parts = [c.redF(), c.greenF(), c.blueF()]
        linear = [v / 12.92 if v <= 0.03928 else ((v + 0.055) / 1.055) ** 2.4 for v in parts]
        return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]

    hi, lo = sorted((luminance(a), luminance(b)), reverse=True)
    return (hi + 0.05) / (lo + 0.05)


@pytest.mark.parametrize("name", ["LIGHT", "DARK"])
def test_words_stand_out_from_their_ground(name):
    t = getattr(theme, name)
    for ground in (t.panel, t.card, t.chrome):
        assert contrast(t.ink, ground) >= 7
        assert contrast(t.soft, ground) >= 4.5
        assert contrast(t.dropped, ground) >= 4.5
    assert contrast(t.good, t.card) >= 4.5
    for hue in (t.pir, t.radar, t.pressure):
        assert contrast(hue, t.card) >= 3


def lab(c):
    linear = [v / 12.92 if v <= 0.03928 else ((v + 0.055) / 1.055) ** 2.4 for v in (c.redF(), c.greenF(), c.blueF())]
    rows = ((0.4339, 0.3762, 0.1899), (0.2126, 0.7152, 0.0722), (0.0178, 0.1095, 0.8727))
    x, y, z = (sum(k * v for k, v in zip(row, linear)) for row in rows)
    x, y, z = (t ** (1 / 3) if t > 0.008856 else 7.787 * t + 16 / 116 for t in (x, y, z))
    return 116 * y - 16, 500 * (x - y), 200 * (y - z)


@pytest.mark.parametrize("night", [0.0, 1.0])
@pytest.mark.parametrize("name", ["LIGHT", "DARK"])
def test_bands_differ_and_names_are_read_on_the_darkest(name, night):
    from vastwatch.desk.plan.contours import BANDS
    from vastwatch.desk.plan.places import name_colours
    from vastwatch.desk.plan.state import PlanState
    from vastwatch.desk.shell.family_style import family_hue
    from vastwatch.files import load_demo

    t = getattr(theme, name)
    state = PlanState(load_demo(), t, "ground", night=night)
    ink, behind = name_colours(state)
    for family in ("pir", "radar", "ultrasonic"):
        shades = [state.ground]
        for _, strength in BANDS:
            shades.append(theme.mix(shades[-1], family_hue(t, family), strength))
        for a, b in pairwise(shades):
            # Two steps of colour that lie side by side are told apart from about 2.3 on.
            assert sum((p - q) ** 2 for p, q in zip(lab(a), lab(b))) ** 0.5 >= 7
        assert contrast(ink, theme.mix(shades[-1], behind, behind.alphaF())) >= 7


def test_small_grey_words_stand_out_from_every_ground_they_stand_on():
    for t in (theme.LIGHT, theme.DARK):
        for ground in (t.panel, t.card, t.chrome, t.faint, t.paper, t.wash):
            assert contrast(t.soft, ground) >= 4.5


def test_no_closed_window_is_collected_while_qt_goes_through_all_widgets(qtbot):
    """Collected amid a style sheet's being applied, its widgets would be gone to after their end: a crash."""
    import gc

    from PyQt6.QtCore import QEvent
    from PyQt6.QtWidgets import QWidget

    from vastwatch.desk.shell.app import make_application

    app = make_application()
    could: list[bool] = []

    class Watched(QWidget):
        def changeEvent(self, event):
            if event.type() in (QEvent.Type.StyleChange, QEvent.Type.PaletteChange):
                could.append(gc.isenabled())
            super().changeEvent(event)

    watched = Watched()
    qtbot.addWidget(watched)
    watched.show()
    could.clear()
    assert gc.isenabled()
    theme.apply(app, theme.DARK)
    theme.apply(app, theme.LIGHT)
    assert could and not any(could) and gc.isenabled()


def _state(name, night):
    return PlanState(load_demo(), getattr(theme, name), "upper", night=night)


@pytest.mark.parametrize("name", ["LIGHT", "DARK"])
def test_words_on_the_plan_are_read_at_every_hour(name):
    """In steps of a fiftieth from noon to midnight: at dusk the ground is as far from the ink of the day as from that
    of the night."""
    for step in range(51):
        state = _state(name, step / 50)
        assert contrast(state.ink, state.ground) >= 4.5, step
        for ink in (name_colours(state)[0], lux_ink(state, True), lux_ink(state, False)):
            assert contrast(ink, state.ground) >= 4.5, step
        # What lies behind words hides what is on there.
        assert name_colours(state)[1] == state.ground and state.ground.alpha() == 255
        assert contrast(state.line, state.ground) >= 3.0


@pytest.mark.parametrize("name", ["LIGHT", "DARK"])
def test_the_title_and_the_level_are_read_at_every_hour(qtbot, window, name):
    window.focus.set(stage="Rehearsal", level="upper", room="sitting")
    settle(qtbot, window)
    own = window.theme
    window.theme = getattr(theme, name)
    try:
        for step in range(0, 51, 2):
            window.plan.state.night, window.plan.state.theme = step / 50, window.theme
            window.plan.setBackgroundBrush(window.plan.state.ground)
            window._overlay_style()
            ground = window.plan.backgroundBrush().color()
            ink = QColor(re.search(r"color: (#\w+)", window.moment.styleSheet())[1])
            assert contrast(ink, ground) >= 4.5, step
            ink, back = (QColor(x) for x in re.findall(r"(?:color|background): (#\w+)", window.level.styleSheet())[:2])
            assert contrast(ink, back) >= 4.5, step
            words = QColor(re.search(r"transparent;\s+color: (#\w+)", window._figures.styleSheet())[1])
            assert contrast(words, ground) >= 4.5, step
    finally:
        window.theme = window.plan.state.theme = own


def test_a_colour_that_is_read_is_left_as_it_is():
    assert theme.legible(QColor("#23272E"), QColor("#FFFEFB")) == QColor("#23272E")
    for grey in range(0, 256, 5):
        ground = QColor(grey, grey, grey)
        assert contrast(theme.legible(ground, ground), ground) >= 4.5


def test_what_lies_on_the_plan_follows_its_ground(qtbot, window):
    """From one dusk to another in a single step, as a click on the ribbon does it."""
    for stage, hour in (("Rehearsal", 16.1), ("Scenes", 15.9), ("Rehearsal", 12.0), ("Sensors", 21.0)):
        window.focus.set(stage=stage, level="upper", room="sitting", time=86_400 + hour * 3600, day=1)
        ink = QColor(re.search(r"color: (#\w+)", window.level.styleSheet())[1])
        back = QColor(re.search(r"background: (#\w+)", window.level.styleSheet())[1])
        night = window.plan.state.night
        assert back.name() == theme.mix(window.theme.card, window.theme.night, night).name(), (stage, hour)
        assert contrast(ink, back) >= 4.5, (stage, hour)
