"""What every table shares: the names of constraints, the types of columns."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from sqlalchemy import (
    ARRAY,
    Double,
    MetaData,
    Text,
)
from sqlalchemy.dialects.postgresql import JSONB, TIMESTAMP
from sqlalchemy.orm import (
    DeclarativeBase,
)


class Base(DeclarativeBase):
    """Names every constraint, so that a violated one can be named to the user."""

    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(table_name)s_%(column_0_name)s",
            "uq": "uq_%(table_name)s_%(column_0_N_name)s",
            "ck": "ck_%(table_name)s_%(constraint_name)s",
            "fk": "fk_%(table_name)s_%(column_0_name)s",
            "pk": "pk_%(table_name)s",
        }
    )
    type_annotation_map = {  # noqa: RUF012
        str: Text,
        float: Double,
        datetime: TIMESTAMP(timezone=True),
        dict[str, Any]: JSONB,
        list[Any]: JSONB,
        list[float]: ARRAY(Double),
    }

    def rewrite(self, values: Mapping[str, Any]) -> None:
        """Set columns by their names."""
        for name, value in values.items():
            setattr(self, name, value)


def one_of(column: str, values: tuple[str, ...]) -> str:
    """SQL for a column that takes only these words."""
    return f"{column} in ({', '.join(repr(value) for value in values)})"
