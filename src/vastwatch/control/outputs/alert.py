"""Notices: messages to anybody who is to know."""

from __future__ import annotations

from typing import Literal

from vastwatch.control.outputs.rows import RowHandler
from vastwatch.design.records import Alert
from vastwatch.site.record import Point


class NoticeHandler(RowHandler):
    """`OutputHandler` of notices."""

    disturbs: Literal["nobody"] = "nobody"
    label, why = "alert", "Alerts somebody: a gate, a fence, a bed that stays empty at night."
    caution = (
        "An alert is a convenience. It is not an alarm or a care or life-safety device: falls, beds, pools and "
        "doors need equipment made and installed for that, and the consent of the people monitored."
    )

    def new(self, ident: str, room: str, name: str, at: Point) -> Alert:
        return Alert(id=ident, room=room, name=name, at=at, watts=0.0, least_rest_s=300.0)


HANDLER = NoticeHandler()
