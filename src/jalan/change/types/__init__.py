"""Types of columns and expressions, as PostgreSQL finds them, and where it finds that some do not fit."""

from jalan.change.types.names import TypeName, declared_type, is_wider
from jalan.change.types.scope import Misfit, Routines, TypedOutput
from jalan.change.types.statements import (
    BEHIND_TYPE,
    check_statement,
    declared_columns,
    outputs_of,
    type_of_expression,
)
from jalan.change.types.system import ASSIGNMENT, EXPLICIT, TypedRoutine, type_system

__all__ = [
    "ASSIGNMENT",
    "BEHIND_TYPE",
    "EXPLICIT",
    "Misfit",
    "Routines",
    "TypeName",
    "TypedOutput",
    "TypedRoutine",
    "check_statement",
    "declared_columns",
    "declared_type",
    "is_wider",
    "outputs_of",
    "type_of_expression",
    "type_system",
]
