"""Editing how lamps spread their light: the photometric table that a lamp follows."""

from __future__ import annotations

from typing import Protocol

from msgspec.structs import replace

from vastwatch.design.project import Project, find, fresh_id, put
from vastwatch.design.records import Photometry


class PhotometryData(Protocol):
    """What a photometric file says of a lamp."""

    @property
    def photometry(self) -> Photometry: ...

    @property
    def lumens(self) -> float: ...

    @property
    def watts(self) -> float: ...


def photometry_for(project: Project, lamp: str) -> Photometry | None:
    """The table that a lamp follows, if any."""
    found = next((x.photometry for x in project.lamps if x.id == lamp), None)
    return None if found is None else find(project.photometries, found)


def with_photometry(project: Project, lamp: str, read: PhotometryData) -> Project:
    """A lamp that follows a table, with the lumens and watts that came with it; a table that is there already under
    that name, with the same figures, is used again."""
    record = find(project.lamps, lamp)
    table = read.photometry
    same = next(
        (p for p in project.photometries if (p.name, p.c_deg, p.gamma_deg, p.candela)
         == (table.name, table.c_deg, table.gamma_deg, table.candela)), None,
    )  # fmt: skip
    if same is None:
        same = replace(table, id=fresh_id(project, "photometry"))
        project = replace(project, photometries=(*project.photometries, same))
    watts = read.watts if read.watts > 0 else record.watts
    return _tidy(put(project, replace(record, photometry=same.id, lumens=read.lumens, watts=watts)))


def without_photometry(project: Project, lamp: str) -> Project:
    """A lamp that follows its beam alone."""
    return _tidy(put(project, replace(find(project.lamps, lamp), photometry=None)))


def _tidy(project: Project) -> Project:
    """Without tables that no lamp follows."""
    used = {x.photometry for x in project.lamps}
    kept = tuple(p for p in project.photometries if p.id in used)
    return project if len(kept) == len(project.photometries) else replace(project, photometries=kept)
