"""How logs of the house are read, as somebody has set it: kept with the project and found again by the next file of the
same columns. `commission.kept_formats` makes and finds them."""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec

from vastwatch.site.record import Id, Record

_Text = Annotated[str, msgspec.Meta(max_length=200)]


class LogDevice(Record, frozen=True, kw_only=True):
    """A name in the log, and which sensor of the plan it is, by id, or which `part` of it; None where its lines are
    ignored. The sensor may be of another design of the project, or gone: then the name is matched anew."""

    name: _Text
    sensor: Id | None = None
    part: _Text | None = None


class LogWord(Record, frozen=True, kw_only=True):
    """A value in the log, and what it means."""

    word: _Text
    means: Literal["on", "off", "no data"]


class LogLayout(Record, frozen=True, kw_only=True):
    """The columns of a log, which of them hold what, and what stands in them.

    `name`: of the file that it was set with. `columns`: all of them, by which the next file is known; with `heads` the
    first line names them. `wide`: a column for each device, else `device` and `value` are columns. `aside`: columns
    that are ignored. `quiet_h`: a device that says nothing for so many hours has no data; None: it is just quiet.
    """

    id: Id
    name: _Text
    kind: Literal["csv", "json"] = "csv"
    columns: Annotated[tuple[_Text, ...], msgspec.Meta(max_length=1000)]
    delimiter: Annotated[str, msgspec.Meta(max_length=1)] = ","
    heads: bool = True
    time: _Text
    date: _Text = ""
    order: Literal["day", "month"] = "day"
    device: _Text = ""
    value: _Text = ""
    wide: bool = False
    aside: Annotated[tuple[_Text, ...], msgspec.Meta(max_length=1000)] = ()
    devices: Annotated[tuple[LogDevice, ...], msgspec.Meta(max_length=1000)] = ()
    words: Annotated[tuple[LogWord, ...], msgspec.Meta(max_length=1000)] = ()
    quiet_h: Annotated[float, msgspec.Meta(gt=0, le=8784)] | None = None


# So many are kept, those that were used last.
MOST_LAYOUTS = 20
