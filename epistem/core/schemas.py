"""JSON Schemas, compiled once each. Nothing is ever fetched for a reference."""

from __future__ import annotations

import json
from functools import lru_cache
from itertools import islice
from typing import Any, NamedTuple

import jsonschema_rs

from epistem.core.errors import InvalidSchema


class SchemaFault(NamedTuple):
    """`path` is a JSON pointer into the value, `message` says what is wrong there."""

    path: str
    message: str


class CompiledSchema:
    """A JSON Schema (2020-12 unless it says otherwise), ready to be applied many times."""

    def __init__(self, validator: Any) -> None:
        self._validator = validator

    def first_fault(self, value: Any) -> SchemaFault | None:
        return next(iter(self.faults(value, 1)), None)

    def faults(self, value: Any, most: int = 100) -> list[SchemaFault]:
        errors = islice(self._validator.iter_errors(value), most)
        return [
            SchemaFault("".join(f"/{step}" for step in error.instance_path), error.message)
            for error in errors
        ]


def compile_schema(schema: Any, *, about: str = "The reply schema") -> CompiledSchema:
    """Raises InvalidSchema, saying where in `about`, if `schema` is not a JSON Schema."""
    if isinstance(schema, str):
        try:
            json.loads(schema)
        except ValueError as error:
            raise InvalidSchema(
                f"{about} is not JSON: {error}.", field="reply.json_schema"
            ) from error
        raise InvalidSchema(
            f"{about} must be a JSON object or true/false.", field="reply.json_schema"
        )
    try:
        return _compile(json.dumps(schema))
    except _NoSchema as error:
        raise InvalidSchema(f"{about} {error}", field="reply.json_schema") from error


@lru_cache(maxsize=256)
def _compile(text: str) -> CompiledSchema:
    schema = json.loads(text)
    try:
        jsonschema_rs.meta.validate(schema)
        validator = jsonschema_rs.validator_for(schema, retriever=_refuse)
    except jsonschema_rs.ValidationError as error:
        where = "/".join(str(step) for step in error.instance_path)
        at = f" at “{where}”" if where else ""
        raise _NoSchema(f"is not a JSON Schema{at}: {error.message}.") from error
    except Exception as error:  # a dangling reference, an unknown dialect
        raise _NoSchema(f"can't be used: {error}.") from error
    return CompiledSchema(validator)


class _NoSchema(Exception):
    """Why a text is no schema, in words that follow what it is about."""


def _refuse(uri: str) -> Any:
    raise ValueError(f"the reference {uri} points outside the schema, and nothing is fetched")
