"""The stand-in gazetteer: places of the practice world by name. All of them are invented."""

from __future__ import annotations

from functools import lru_cache

from yaila.core.ground.mercator import Place


@lru_cache(maxsize=1)
def places() -> tuple[Place, ...]:
    """All places."""
    # Loading it takes longer than most of a server, and few ask for it.
    from yaila.standin.world import World

    world = World()
    found = []
    for harbour in world.harbours.values():
        kind = "lighthouse" if harbour.radius < 200 else "town"
        found.append(Place(name=harbour.name, kind=kind, x=harbour.x, y=harbour.y, size=harbour.radius * 2))
        if harbour.radius > 300:
            quay = Place(name=f"{harbour.name} quay", kind="landing", x=harbour.x, y=harbour.y, size=600)
            found.append(quay)
    for name, kind, x, y, size in (
        ("Marrow Fell", "mountain", 447.0, 240.0, 9.0),
        ("The sound", "water", 478.0, 243.0, 60.0),
        ("Quillhaven head", "cape", 507.0, 262.0, 6.0),
        ("Ebbing isle", "island", 485.2, 219.2, 3.0),
        ("Sarnish hills", "hills", 533.0, 224.0, 14.0),
        ("North skerries", "islands", 486.0, 279.0, 14.0),
    ):
        found.append(Place(name=name, kind=kind, x=x * 1000, y=y * 1000, size=size * 1000))
    return tuple(found)


def search(text: str, most: int = 6) -> list[Place]:
    """Places whose name has the text, those that begin with it first."""
    wanted = text.strip().lower()
    if not wanted:
        return []
    hits = [place for place in places() if wanted in place.name.lower()]
    return sorted(hits, key=lambda place: (not place.name.lower().startswith(wanted), place.name))[:most]
