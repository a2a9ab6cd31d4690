"""How alike draft and final are: 30 frames of The Night Post, taken at random, drawn both ways at one size.

python bench/likeness.py            the least and the mean SSIM, and the frames that are least alike
"""

from __future__ import annotations

import sys

import numpy as np
from skimage.metrics import structural_similarity

from yaila.core.camera import FrameSize
from yaila.core.film import choreograph
from yaila.core.imagery import PageStore
from yaila.core.picture import Quality, Renderer, Request
from yaila.core.time import Time
from yaila.standin.night_post import FILM_ID, ensure_night_post
from yaila.store import Store

SIZE = FrameSize(960, 540)
GOAL = 0.9


def main() -> int:
    """Print how alike they are; fails below the goal."""
    store = Store()
    ensure_night_post(store, lambda text: print(text, file=sys.stderr))
    film = store.films.at_revision(FILM_ID, store.films.head(FILM_ID))
    renderer = Renderer(store.pictures.pyramid, PageStore(384), store.kit)
    frames = np.random.default_rng(30).choice(choreograph(film).frames, 30, replace=False)
    alike = {}
    for frame in sorted(frames.tolist()):
        draft, final = (renderer.render(Request(film, Time(frame), SIZE, quality)).rgb for quality in Quality)
        alike[frame] = float(structural_similarity(draft, final, channel_axis=2))
    worst = sorted(alike, key=lambda frame: alike[frame])
    print(f"least {alike[worst[0]]:.4f}, mean {np.mean(list(alike.values())):.4f}")
    print("least alike:", ", ".join(f"frame {frame}: {alike[frame]:.4f}" for frame in worst[:5]))
    return 0 if alike[worst[0]] > GOAL else 1


if __name__ == "__main__":
    sys.exit(main())
