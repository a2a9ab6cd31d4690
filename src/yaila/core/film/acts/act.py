"""What all acts have in common."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict, ValidationError

from yaila.core.errors import BadEdit, said
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

    def done_to(self, film: Film) -> Film:
        """The film after the act, as :meth:`apply`, with every refusal in words.

        Raises:
            BadEdit: as :meth:`apply`, or the act would give something a value that it cannot have.
        """
        try:
            return self.apply(film)
        except ValidationError as error:
            raise BadEdit(f"{said(error)}. Nothing was changed.") from error
        except (OverflowError, ZeroDivisionError, FloatingPointError) as error:
            raise BadEdit("That would lead to a number beyond all measure. Nothing was changed.") from error
