"""JSON Schemas, compiled once each. Nothing is ever fetched for a reference."""

from __future__ import annotations

import json
from functools import lru_cache
from itertools import islice
from typing import Any, NamedTuple

import jsonschema_rs

from epistem.core.errors import InvalidSchema

MOST_PARTS = 20_000
MOST_SAID = 600


class SchemaFault(NamedTuple):
    """`path` is a JSON pointer into the value, `message` says what is wrong there."""

    path: str
    message: str


class CompiledSchema:
    """A JSON Schema (2020-12 unless it says otherwise), ready to be applied many times."""

    def __init__(self, validator: Any) -> None:
        self._validator = validator

    def first_fault(self, value: Any) -> SchemaFault | None:
        """Looks no further than the first, however many there are."""
        try:
            self._validator.validate(value)
        except jsonschema_rs.ValidationError as error:
            return _fault(error)
        return None

    def faults(self, value: Any, most: int = 100) -> list[SchemaFault]:
        """Of a value with very many parts only the first: the library collects all of them first."""
        if _parts(value, MOST_PARTS) > MOST_PARTS:
            first = self.first_fault(value)
            return [] if first is None else [first]
        return [_fault(error) for error in islice(self._validator.iter_errors(value), most)]


def _fault(error: jsonschema_rs.ValidationError) -> SchemaFault:
    """Its message quotes the value, which may be the whole answer."""
    said = error.message
    said = said if len(said) <= MOST_SAID else f"{said[:MOST_SAID]}…"
    return SchemaFault("".join(f"/{step}" for step in error.instance_path), said)


def _parts(value: Any, most: int) -> int:
    """How many values there are in it, counted no further than `most`."""
    waiting, seen = [value], 0
    while waiting and seen <= most:
        seen += 1
        each = waiting.pop()
        if isinstance(each, dict):
            waiting.extend(islice(each.values(), most))
        elif isinstance(each, list):
            waiting.extend(islice(each, most))
    return seen + len(waiting)


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
    except (_NoSchema, RecursionError) as error:
        told = str(error) if isinstance(error, _NoSchema) else "is nested too deeply."
        raise InvalidSchema(f"{about} {told}", field="reply.json_schema") from error


@lru_cache(maxsize=256)
def _compile(text: str) -> CompiledSchema:
    schema = json.loads(text)
    _check_references(schema)
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


DIALECTS = frozenset(
    f"{scheme}://json-schema.org/{name}"
    for scheme in ("http", "https")
    for name in (
        "draft/2020-12/schema", "draft/2019-09/schema", "draft-07/schema", "draft-06/schema", "draft-04/schema",
    )
)  # fmt: skip
_DATA = ("const", "enum", "default", "examples")
"""Keywords whose values are data, whatever they look like."""


def _check_references(schema: Any) -> None:
    """Raises _NoSchema for a dialect that is not known, or a reference to anything outside.

    Asked before the library sees the schema: it would fetch what it does not know.
    """
    named: set[str] = set()
    asked: list[str] = []
    waiting = [(schema, False)]
    while waiting:
        each, is_map = waiting.pop()
        if isinstance(each, list):
            waiting.extend((inner, False) for inner in each)
        if not isinstance(each, dict):
            continue
        for key, value in each.items():
            if is_map:  # names of properties or definitions, which may read like keywords
                waiting.append((value, False))
            elif key in ("$schema", "$ref", "$dynamicRef", "$recursiveRef", "$id", "id"):
                if not isinstance(value, str):
                    continue
                if key == "$schema" and value.rstrip("#") not in DIALECTS:
                    raise _NoSchema(
                        f"names the dialect “{value[:120]}”, which is not known here, and nothing is "
                        "fetched. Leave $schema out, or name 2020-12, 2019-09 or draft 4, 6 or 7."
                    )
                if key in ("$id", "id"):
                    named.add(value.rstrip("#"))
                elif key != "$schema":
                    asked.append(value)
            elif key not in _DATA:
                waiting.append((value, key in _MAPS))
    for reference in asked:
        whole = reference.split("#")[0]
        if whole and whole not in named and whole not in DIALECTS:
            raise _NoSchema(
                f"refers to “{reference[:120]}”, which is outside of it, and nothing is fetched. "
                "Write what it needs into its $defs."
            )


_MAPS = (
    "properties",
    "patternProperties",
    "$defs",
    "definitions",
    "dependentSchemas",
    "dependencies",
)


class _NoSchema(Exception):
    """Why a text is no schema, in words that follow what it is about."""


def _refuse(uri: str) -> Any:
    raise ValueError(f"the reference {uri} points outside the schema, and nothing is fetched")
