"""What the parts of the document are made of."""

from __future__ import annotations

import secrets
from typing import Any

from pydantic import BaseModel, ConfigDict


def new_id() -> str:
    """A fresh identifier."""
    return secrets.token_hex(6)


class Part(BaseModel):
    """A part of the document: unknown fields are refused, values are checked on assignment too."""

    model_config = ConfigDict(
        extra="forbid", validate_assignment=True, json_schema_serialization_defaults_required=True
    )


def apart(part: Any) -> Any:
    """A copy that can be changed by itself: parts that can be changed are copied, what cannot is shared."""
    if isinstance(part, list):
        return [apart(one) for one in part]
    if not isinstance(part, BaseModel) or part.model_config.get("frozen"):
        return part
    copy = part.model_copy()
    for name, value in copy.__dict__.items():
        if isinstance(value, list | BaseModel):
            copy.__dict__[name] = apart(value)
    return copy
