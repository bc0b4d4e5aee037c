"""JSON Schemas, compiled once each. Nothing is ever fetched for a reference."""

from __future__ import annotations

import json
from functools import lru_cache
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
        for error in self._validator.iter_errors(value):
            path = "".join(f"/{step}" for step in error.instance_path)
            return SchemaFault(path, error.message)
        return None


def compile_schema(schema: Any) -> CompiledSchema:
    """Raises InvalidSchema, saying where, if `schema` is not a JSON Schema."""
    if isinstance(schema, str):
        try:
            json.loads(schema)
        except ValueError as error:
            raise InvalidSchema(
                f"The reply schema is not JSON: {error}.", field="reply.json_schema"
            ) from error
        raise InvalidSchema(
            "The reply schema must be a JSON object or true/false.", field="reply.json_schema"
        )
    return _compile(json.dumps(schema))


@lru_cache(maxsize=256)
def _compile(text: str) -> CompiledSchema:
    schema = json.loads(text)
    try:
        jsonschema_rs.meta.validate(schema)
        validator = jsonschema_rs.validator_for(schema, retriever=_refuse)
    except jsonschema_rs.ValidationError as error:
        where = "/".join(str(step) for step in error.instance_path)
        at = f" at “{where}”" if where else ""
        raise InvalidSchema(
            f"The reply schema is not a JSON Schema{at}: {error.message}.",
            field="reply.json_schema",
        ) from error
    except Exception as error:  # a dangling reference, an unknown dialect
        raise InvalidSchema(
            f"The reply schema can't be used: {error}.", field="reply.json_schema"
        ) from error
    return CompiledSchema(validator)


def _refuse(uri: str) -> Any:
    raise ValueError(f"the reference {uri} points outside the schema, and nothing is fetched")
