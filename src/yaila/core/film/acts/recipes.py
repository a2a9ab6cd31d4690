"""The act of building a whole choreography."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from yaila.core.film.acts.act import FilmAct
from yaila.core.film.acts.ties import without_names
from yaila.core.film.model import Film
from yaila.core.film.recipes import Recipe, Stopover


class BuildRecipe(FilmAct):
    """Build a choreography for places: behind the vantages there are, or instead of them."""

    act: Literal["build_recipe"] = "build_recipe"
    recipe: Recipe
    places: list[Stopover] = Field(default_factory=list, max_length=100)
    instead: bool = False

    def apply(self, film: Film) -> Film:
        if self.instead:
            # What hung on the vantages there were keeps its time without them.
            film = without_names(film, {vantage.id for vantage in film.vantages})
        film = film.model_copy(deep=True)
        vantages, routes = self.recipe.made(self.places, film)
        film.routes.extend(routes)
        film.vantages = vantages if self.instead else [*film.vantages, *vantages]
        return film
