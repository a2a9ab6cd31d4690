"""What the parts of the document are made of."""

from __future__ import annotations

import secrets
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

Id = Annotated[str, Field(pattern=r"^[A-Za-z0-9_-]{1,40}$")]
Name = Annotated[str, Field(min_length=1, max_length=120)]
Colour = Annotated[str, Field(pattern=r"^#[0-9a-fA-F]{6}$")]


def new_id() -> str:
    """A fresh identifier."""
    return secrets.token_hex(4)


class Part(BaseModel):
    """A part of the document: unknown fields are refused, values are checked on assignment too."""

    model_config = ConfigDict(
        extra="forbid", validate_assignment=True, json_schema_serialization_defaults_required=True
    )
