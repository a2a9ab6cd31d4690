"""A list of shots as a page to print: of each vantage its picture, its time, its place and how wide it is."""

from __future__ import annotations

import base64
from collections.abc import Callable
from html import escape

from yaila.core.film import Film, choreograph
from yaila.core.ground.mercator import lonlat_of
from yaila.core.time import timecode

STYLE = """
body { font: 11pt/1.4 system-ui, sans-serif; color: #14242d; margin: 14mm; }
h1 { font-size: 17pt; margin: 0 0 1mm; } header p { margin: 0 0 6mm; color: #4a5a62; }
article { display: grid; grid-template-columns: 78mm 1fr; gap: 6mm; padding: 4mm 0; border-top: 0.3mm solid #b9c2c4;
  break-inside: avoid; }
img { width: 78mm; display: block; } h2 { font-size: 12pt; margin: 0; } dl { margin: 1mm 0 0; display: grid;
  grid-template-columns: 24mm 1fr; } dt { color: #4a5a62; } dd { margin: 0; font-variant-numeric: tabular-nums; }
"""


def shots_page(film: Film, picture: Callable[[int], bytes]) -> str:
    """The page; ``picture`` gives a frame as JPEG."""
    choreography = choreograph(film)
    rows = []
    for number, (leg, vantage) in enumerate(zip(choreography.legs, film.vantages, strict=True), 1):
        last = number == len(film.vantages)
        onward = "" if last else f"{vantage.passage.manner.kind}, {float(film.fps.seconds(leg.passage)):.1f} s"
        facts = {
            "Time": f"{timecode(leg.start, film.fps)}, held for {float(film.fps.seconds(leg.hold)):.1f} s",
            "Place": _place(film, vantage.x, vantage.y),
            "Wide": _wide(film, vantage.span),
            "Camera": f"tilt {vantage.tilt:.0f}°, heading {vantage.heading % 360:.0f}°, {vantage.focal:.0f} mm",
            "Onward": onward,
        }
        at = min(leg.start + max(leg.hold - 1, 0) // 2, choreography.frames - 1)
        data = base64.b64encode(picture(at)).decode()
        listed = "".join(f"<dt>{name}</dt><dd>{escape(text)}</dd>" for name, text in facts.items() if text)
        rows.append(
            f'<article><img alt="" src="data:image/jpeg;base64,{data}"><div><h2>{number}. '
            f"{escape(vantage.name or 'Vantage')}</h2><dl>{listed}</dl></div></article>"
        )
    size = f"{film.frame.width} × {film.frame.height}, {film.rate} frames a second"
    whole = timecode(choreography.frames, film.fps)
    name = escape(film.name)
    return (
        f'<!doctype html><html lang="en"><meta charset="utf-8"><title>{name}: shots</title><style>{STYLE}</style>'
        f"<header><h1>{name}</h1><p>{whole} long, {size}</p></header>{''.join(rows)}</html>"
    )


def _place(film: Film, x: float, y: float) -> str:
    if film.ground.kind != "mercator":
        return f"{x:,.0f} east, {y:,.0f} north"
    lon, lat = lonlat_of(x, y)
    return f"{abs(lat):.4f}° {'N' if lat >= 0 else 'S'}, {abs(lon):.4f}° {'E' if lon >= 0 else 'W'}"


def _wide(film: Film, span: float) -> str:
    if film.ground.kind != "mercator":
        return f"{span:,.0f} px"
    return f"{span / 1000:,.1f} km" if span >= 2000 else f"{span:,.0f} m"
