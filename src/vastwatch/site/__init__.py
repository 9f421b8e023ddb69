"""The building and its people, as records: levels, walls, openings, rooms, furnishings, spots, people."""
