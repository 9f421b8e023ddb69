"""What parted when things came into other rooms, in a sentence: which lamp left which scenes, groups and buttons."""

from __future__ import annotations

from vastwatch.design.project import Project
from vastwatch.design.references import references, singular
from vastwatch.words import and_list

# The lists whose records may name only what is of their own room, in the order in which one tells of them.
_HOLDERS = ("scenes", "lamp_groups", "rules", "buttons")


def parted(old: Project, new: Project) -> str:
    """`Landing light left 2 scenes and the lamp group "Shelves".`; nothing where nothing parted that is still there."""
    if all(getattr(old, c) is getattr(new, c) for c in _HOLDERS):
        return ""
    left: dict[str, dict[str, list[str]]] = {}
    for collection in _HOLDERS:
        now = {r.id: r for r in getattr(new, collection)}
        for record in getattr(old, collection):
            if record.id not in now or now[record.id] is record:
                continue
            still = {r.ident for r in references(now[record.id])}
            for found in references(record):
                if found.ref.same_room and found.ident not in still and found.ident not in left.get("", {}):
                    left.setdefault(found.ident, {}).setdefault(collection, []).append(record.name)
    rooms_before = _rooms(old)
    rooms_now = _rooms(new)
    sentences = []
    for ident, holders in left.items():
        if ident not in rooms_now or rooms_now[ident][0] == rooms_before[ident][0]:
            continue
        sentences.append(f"{rooms_now[ident][1]} left {and_list([_words(c, names) for c, names in holders.items()])}")
    return "; ".join(sentences) + "." if sentences else ""


def _rooms(project: Project) -> dict[str, tuple[str, str]]:
    """Of what may leave something: its room and its name."""
    return {r.id: (r.room, r.name) for records in (project.lamps, project.scenes, project.lamp_groups) for r in records}


def _words(collection: str, names: list[str]) -> str:
    what = singular(collection)
    return f"the {what} “{names[0]}”" if len(names) == 1 else f"{len(names)} {what}s"
