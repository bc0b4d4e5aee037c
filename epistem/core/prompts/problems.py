"""What stops a draft from being sent or saved as a version."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Collection
from dataclasses import dataclass

from epistem.core.errors import InvalidInput, InvalidSchema
from epistem.core.prompts.content import Input, Prompt, parts_of
from epistem.core.prompts.fragments import why_not
from epistem.core.prompts.inputs import filled, inputs_of, name_fault
from epistem.core.prompts.render import from_syntax
from epistem.core.prompts.tool import Tool
from epistem.core.prompts.tool_faults import work_fault
from epistem.core.schemas import compile_schema
from epistem.core.templates.language import calls_in, inputs_in, syntax_error

_TOOL_NAME = re.compile(r"[A-Za-z0-9_-]{1,64}\Z")


@dataclass(frozen=True)
class Problem:
    field: str
    message: str
    part: str | None = None
    line: int | None = None


def problems_of(prompt: Prompt) -> list[Problem]:
    """All that must be put right before the draft can be sent or become a version."""
    found = []
    for field, _, part in parts_of(prompt):
        error = syntax_error(part.text)
        if error is not None:
            template_error = from_syntax(part, error, field)
            found.append(Problem(field, template_error.message, part.name, template_error.line))
        elif wrong := why_not(part.text, prompt.fragments):
            found.append(Problem(field, wrong, part.name, _line_of(part.text, "{%")))
        for name in inputs_in(part.text):
            if wrong := name_fault(name):
                found.append(Problem(field, wrong, part.name, _line_of(part.text, name)))
    if not any(part.text.strip() and not part.off for _, _, part in parts_of(prompt)):
        found.append(Problem("messages", "Every part is empty, so there is nothing to send."))
    return [
        *found,
        *_of_inputs(prompt),
        *_of_examples(prompt),
        *_of_tools(prompt),
        *_of_reply(prompt),
    ]


def _of_inputs(prompt: Prompt) -> list[Problem]:
    found = []
    names = Counter(each.name for each in prompt.inputs)
    asked = inputs_of(prompt)
    for at, each in enumerate(prompt.inputs):
        field = f"inputs.{at}"
        if wrong := name_fault(each.name):
            found.append(Problem(f"{field}.name", wrong))
        elif names[each.name] > 1:
            found.append(Problem(f"{field}.name", f"The input “{each.name}” is described twice."))
        elif each.kind == "choice" and not each.choices:
            message = f"The input “{each.name}” is a choice, but no choices are listed."
            found.append(Problem(f"{field}.choices", message))
        else:
            for which in ("default", "example"):
                value = getattr(each, which)
                try:
                    if value not in (None, ""):
                        filled([each], {each.name: value})
                except InvalidInput as error:
                    message = f"The {which} does not fit. {error.message}"
                    found.append(Problem(f"{field}.{which}", message))
        if each.look_up is not None and (wrong := _look_up_fault(each, {*names, *asked})):
            found.append(Problem(f"{field}.look_up", wrong))
    return found


def _look_up_fault(each: Input, known: Collection[str]) -> str:
    """ "" where it can be looked up so, as far as the prompt tells."""
    assert each.look_up is not None
    question = each.look_up.question
    if each.kind != "passages":
        return f"“{each.name}” is looked up, so its kind has to be passages."
    if question == each.name or (question and question not in known):
        return (
            f"“{each.name}” is looked up by “{question}”, which is no other input of this prompt."
        )
    return ""


def _of_examples(prompt: Prompt) -> list[Problem]:
    shown = any(not example.off for example in prompt.examples)
    if not shown:
        return []
    called = any("examples" in calls_in(p.text) for _, _, p in parts_of(prompt) if not p.off)
    if prompt.examples_as == "text" and not called:
        message = "The examples are to stand in the text, but no part has {{ examples() }}."
        return [Problem("examples_as", message)]
    asks = any(message.role == "user" for message in prompt.messages)
    if prompt.examples_as == "messages" and not asks:
        message = "The examples are to be messages, but there is no user message to go before."
        return [Problem("examples_as", message)]
    return []


def _of_tools(prompt: Prompt) -> list[Problem]:
    found = []
    names = Counter(tool.name for tool in prompt.tools)
    for at, tool in enumerate(prompt.tools):
        field = f"tools.{at}"
        if not _TOOL_NAME.match(tool.name):
            message = f"“{tool.name}” can't be the name of a tool: use letters, digits, _ and -."
            found.append(Problem(f"{field}.name", message))
        elif names[tool.name] > 1:
            found.append(Problem(f"{field}.name", f"There are two tools called “{tool.name}”."))
        if wrong := _parameters_fault(tool):
            found.append(Problem(f"{field}.parameters", wrong))
        elif wrong := work_fault(tool):
            found.append(Problem(f"{field}.does", f"The tool “{tool.name}”: {wrong}"))
    choice = prompt.tool_choice
    if choice is not None and choice.choice == "this" and choice.this not in names:
        message = (
            f"The model must call “{choice.this}”, which is no tool of this prompt."
            if choice.this
            else "The model must call one tool, but it is not said which."
        )
        found.append(Problem("tool_choice.this", message))
    return found


def _parameters_fault(tool: Tool) -> str | None:
    if tool.parameters is None:
        return None
    about = f"The parameters of the tool “{tool.name}”"
    try:
        compile_schema(tool.parameters, about=about)
    except InvalidSchema as error:
        return error.message
    if isinstance(tool.parameters, dict) and tool.parameters.get("type", "object") != "object":
        return f"{about} have to be a schema of type object."
    return None


def _of_reply(prompt: Prompt) -> list[Problem]:
    reply = prompt.reply
    if reply.kind == "json" and reply.json_schema is not None:
        try:
            compile_schema(reply.json_schema)
        except InvalidSchema as error:
            return [Problem("reply.json_schema", error.message)]
    if reply.kind == "label" and not reply.labels:
        return [Problem("reply.labels", "The reply is a label, but no labels are listed.")]
    return []


def _line_of(text: str, mark: str) -> int | None:
    at = text.find(mark)
    return None if at < 0 else text.count("\n", 0, at) + 1
