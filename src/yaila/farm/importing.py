"""The process that takes one picture into the store: ``python -m yaila.farm.importing HOME JOB``."""

from __future__ import annotations

import os
import sys
from pathlib import Path

from yaila.core.errors import BadPicture
from yaila.farm.pulse import Pulse
from yaila.store import Store


def run(store: Store, job: str) -> None:
    """Do an import job: its ``settings`` name the file that has arrived."""
    row = store.jobs.get(job)
    file = Path(row.settings["file"])
    pulse = Pulse(store, job)
    store.jobs.note(job, state="running", total=100)
    try:
        picture = store.pictures.add(file, row.name, lambda share: pulse.beat(round(share * 99)))
    except BadPicture as error:
        store.jobs.note(job, state="failed", message=str(error))
        return
    store.jobs.note(job, settings=row.settings | {"sha256": picture.sha256}, done=99)


if __name__ == "__main__":
    os.nice(15)
    run(Store(Path(sys.argv[1])), sys.argv[2])
