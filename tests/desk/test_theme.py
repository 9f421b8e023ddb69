"""Words and marks can be read on the ground they stand on, by day and by night."""

from __future__ import annotations

import pytest

from vastwatch.desk.shell import theme


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
