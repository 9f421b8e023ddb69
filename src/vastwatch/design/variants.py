"""Other designs of the same building, kept beside the present one: to be compared with it, and taken in its place.

A variant holds what a design decides; building, people and brief are shared. Its records keep their ids, so that the
same people and draws meet both.
"""

from __future__ import annotations

from msgspec.structs import replace

from vastwatch.design.places import room_at
from vastwatch.design.project import Project, Variant, clean_name, unique_name
from vastwatch.design.references import missing_names, settled, without

# What a design decides.
DECIDED = (
    "devices", "sensors", "zones", "presences", "lamps", "outputs", "circuits", "switches", "photometries", "scenes",
    "lamp_groups", "rules", "buttons",
)  # fmt: skip
MOST = 20
# What the design is called that another takes the place of.
FORMER = "Previous design"


def variant_of(project: Project, ident: str) -> Variant:
    """The variant with that id, or that name. Raises ValueError with a sentence."""
    for v in project.variants:
        if v.id == ident:
            return v
    for v in project.variants:
        if v.name.lower() == ident.lower():
            return v
    known = ", ".join(v.name for v in project.variants)
    raise ValueError(f"unknown variant '{ident}'" + (f": it has {known}" if known else ""))


def save_variant(project: Project, name: str) -> Project:
    """The project with its present design kept as a variant of that name, numbered on where it is taken. Raises
    ValueError with a sentence for a name that is none, or where there are too many."""
    name = clean_name(name)
    if not name:
        raise ValueError("a variant needs a name")
    if len(project.variants) >= MOST:
        raise ValueError(f"a project keeps up to {MOST} variants: delete one first")
    name = unique_name(name, (v.name for v in project.variants))
    return replace(project, variants=(*project.variants, _variant(project, _fresh(project), name)))


def _variant(project: Project, ident: str, name: str) -> Variant:
    return Variant(id=ident, name=name, **{what: getattr(project, what) for what in DECIDED})


def _fresh(project: Project) -> str:
    used = {v.id for v in project.variants}
    return next(f"variant-{n}" for n in range(1, MOST + 2) if f"variant-{n}" not in used)


def with_design_of(project: Project, variant: Variant) -> Project:
    """The project with a variant's design in place of its own. What names something that the building has no more, or
    is mounted where no room is any more, goes along, as when that was removed."""
    other = replace(project, variants=(), **{what: getattr(variant, what) for what in DECIDED})
    gone = _missing(other) | _outside(other)
    while gone:
        other = without(other, gone)
        gone = _missing(other)
    return settled(other)


def _outside(project: Project) -> set[str]:
    """Sensors that are mounted on a level that is there, and in none of its rooms."""
    levels = {level.id for level in project.levels}
    return {s.id for s in project.sensors if s.level in levels and room_at(project, s.level, *s.at[:2]) is None}


def _missing(project: Project) -> set[str]:
    return {ident for _, ident in missing_names(project)}


def adopt_variant(project: Project, ident: str) -> Project:
    """A variant taken as the design; the design so far is kept in its place, as a variant."""
    variant = variant_of(project, ident)
    former = unique_name(FORMER, (v.name for v in project.variants if v is not variant))
    others = tuple(_variant(project, v.id, former) if v is variant else v for v in project.variants)
    return replace(with_design_of(project, variant), variants=others)


def rename_variant(project: Project, ident: str, name: str) -> Project:
    """A variant by another name. Raises ValueError for one that is none."""
    name = clean_name(name)
    if not name:
        raise ValueError("a variant needs a name")
    variant = variant_of(project, ident)
    name = unique_name(name, (v.name for v in project.variants if v is not variant))
    others = tuple(replace(v, name=name) if v is variant else v for v in project.variants)
    return replace(project, variants=others)


def remove_variant(project: Project, ident: str) -> Project:
    """The project without a variant."""
    variant = variant_of(project, ident)
    return replace(project, variants=tuple(v for v in project.variants if v is not variant))
