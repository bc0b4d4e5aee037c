"""`python -m epistem.cli.schema docs/formats`: write the JSON Schemas of our file formats."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

from pydantic import BaseModel

from epistem.core.chains.yaml_file import ChainFile
from epistem.core.prompts.yaml_file import PromptFile

SCHEMAS: dict[str, type[BaseModel]] = {
    "prompt.schema.json": PromptFile,
    "chain.schema.json": ChainFile,
}


def schema_of(name: str) -> dict[str, Any]:
    head = {"$schema": "https://json-schema.org/draft/2020-12/schema"}
    return {**head, **SCHEMAS[name].model_json_schema(mode="validation")}


def text_of(name: str) -> str:
    return json.dumps(schema_of(name), indent=2, ensure_ascii=False) + "\n"


if __name__ == "__main__":
    for file in SCHEMAS:
        (Path(sys.argv[1]) / file).write_text(text_of(file), encoding="utf-8")
