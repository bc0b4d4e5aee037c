"""A walk as OpenTelemetry spans in OTLP/JSON, with the semantic conventions for generative AI.

One span for the walk, and one for each step, under the one that holds it."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from hashlib import sha256
from typing import Any

from epistem.core.chains.drawn import owner_of

CLIENT, INTERNAL = 3, 1
OK, ERROR = 1, 2
_OPERATIONS = {"ask": "chat", "vote": "chat", "tool": "execute_tool", "look_up": "retrieval"}


def spans_of(
    name: str,
    walk: str,
    began_ns: int,
    steps: Sequence[Mapping[str, Any]],
    *,
    ended: str,
    why: str,
    version: str = "",
) -> dict[str, Any]:
    """`walk` tells it apart from all others; `steps` are as `drawn.told_step` tells them, each with `start_ms` and
    `total_ms` from the beginning. Times are Unix nanoseconds, as the standard has them: texts."""
    trace = sha256(f"{name} {walk}".encode()).hexdigest()[:32]
    places = {step["at"]: step for step in steps}
    end_ms = max((step["start_ms"] + step["total_ms"] for step in steps), default=0.0)
    root = _span(trace, _id(trace, ""), "", f"walk {name}", INTERNAL, began_ns, 0.0, end_ms)
    root["attributes"] = _attributes({"epistem.walk.ended": ended, "epistem.walk.id": walk})
    root["status"] = _status(ended == "done", why)
    spans = [root]
    for step in steps:
        at = step["at"]
        above = owner_of(at.rpartition(".")[0], places) or ""
        kind = CLIENT if step["calls"] else INTERNAL
        span = _span(
            trace, _id(trace, at), _id(trace, above), _name(step), kind, began_ns,
            step["start_ms"], step["total_ms"],
        )  # fmt: skip
        span["attributes"] = _attributes(_of(step))
        span["status"] = _status(not step["fault"], step["fault"])
        spans.append(span)
    resource = {"service.name": "epistem", **({"service.version": version} if version else {})}
    scope = {"name": "epistem.walks"}
    return {
        "resourceSpans": [
            {
                "resource": {"attributes": _attributes(resource)},
                "scopeSpans": [{"scope": scope, "spans": spans}],
            }
        ]
    }


def _of(step: Mapping[str, Any]) -> dict[str, Any]:
    told: dict[str, Any] = {
        "epistem.step.at": step["at"],
        "epistem.step.name": step["name"],
        "epistem.step.kind": step["kind"],
        "epistem.step.passed_over": bool(step["passed_over"]),
    }
    if operation := _OPERATIONS.get(step["kind"]):
        told["gen_ai.operation.name"] = operation
    if step["model"]:
        told["gen_ai.request.model"] = step["model"]
        told["gen_ai.usage.input_tokens"] = int(step["input_tokens"])
        told["gen_ai.usage.output_tokens"] = int(step["output_tokens"])
    if step["kind"] == "tool" and step["tools"]:
        told["gen_ai.tool.name"] = step["tools"][0]["name"]
    if step["cents"]:
        told["epistem.cost.cents"] = float(step["cents"])
    if step["wrote"]:
        told["epistem.step.wrote"] = json.dumps(step["wrote"], ensure_ascii=False)[:4_000]
    return told


def _name(step: Mapping[str, Any]) -> str:
    """As the conventions name them: `chat tern-s`, `execute_tool timetable`; others by their step."""
    if step["model"]:
        return f"chat {step['model']}"
    if step["kind"] == "tool" and step["tools"]:
        return f"execute_tool {step['tools'][0]['name']}"
    return str(step["name"])


def _span(
    trace: str,
    span: str,
    above: str,
    name: str,
    kind: int,
    began_ns: int,
    start_ms: float,
    ms: float,
) -> dict[str, Any]:
    start = began_ns + round(start_ms * 1e6)
    told = {"traceId": trace, "spanId": span, "name": name, "kind": kind}
    told |= {"startTimeUnixNano": str(start), "endTimeUnixNano": str(start + round(ms * 1e6))}
    return told | ({"parentSpanId": above} if above else {})


def _id(trace: str, at: str) -> str:
    return sha256(f"{trace} {at}".encode()).hexdigest()[:16]


def _status(well: bool, why: str) -> dict[str, Any]:
    return {"code": OK} if well else {"code": ERROR, "message": why[:1_000]}


def _attributes(told: Mapping[str, Any]) -> list[dict[str, Any]]:
    return [{"key": key, "value": _value(value)} for key, value in told.items()]


def _value(value: Any) -> dict[str, Any]:
    if isinstance(value, bool):
        return {"boolValue": value}
    if isinstance(value, int):
        return {"intValue": str(value)}
    return {"doubleValue": value} if isinstance(value, float) else {"stringValue": str(value)}
