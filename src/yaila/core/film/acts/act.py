"""What all acts have in common."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from yaila.core.film.model import Film


class FilmAct(BaseModel):
    """A named change of a film: takes one and returns a new one."""

    model_config = ConfigDict(extra="forbid")

    def apply(self, film: Film) -> Film:
        """The film after the act.

        Raises:
            BadEdit: the act names something that is not there or makes no sense.
        """
        return film
