"""Names from where things are: the second of a kind is told by what is near it."""

from __future__ import annotations

from samples import make_room
from vastwatch.design.edits.fittings import add_furnishing, add_opening
from vastwatch.design.naming import opening_words, place_name
from vastwatch.design.project import find
from vastwatch.site.furniture import furniture


def chair():
    return next(k for k in furniture() if k.name == "Chair")


def test_the_second_of_a_kind_is_named_by_what_is_near_and_then_by_number():
    room = make_room()
    first, piece = add_furnishing(room, "g", chair(), (2.5, 2.0), 0.0)
    assert piece.name == "Chair" and len(first.spots) > len(room.spots)
    # The window is in the wall at the top, the door in the one to the small room.
    second, by_window = add_furnishing(first, "g", chair(), (4.5, 3.4), 270.0)
    assert by_window.name in ("Chair by the window", "Chair by the door")
    names = [s.name for s in second.spots if s.room == "big"]
    assert len(set(names)) == len(names)
    third, far = add_furnishing(second, "g", chair(), (0.4, 0.5), 0.0)
    assert far.name == "Chair 2"
    assert len({f.name for f in third.furnishings}) == len(third.furnishings)


def test_a_name_is_free_again_in_another_room():
    room, _ = add_furnishing(make_room(), "g", chair(), (2.5, 2.0), 0.0)
    assert place_name(room, "Chair", find(room.rooms, "small"), (6.0, 2.0)) == "Chair"


def test_openings_are_called_by_the_rooms_beside_them():
    room = make_room()
    words = {opening_words(room, o) for o in room.openings}
    assert "door between big room and small room" in words and "window of big room" in words
    outer = next(w.id for w in room.walls if w.id == "south")
    more, door = add_opening(room, outer, "door", 2.0)
    assert opening_words(more, door) == "outside door of big room"
