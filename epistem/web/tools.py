"""Tools that are kept, what they read and reach, and calling one by hand."""

from __future__ import annotations

from threading import BoundedSemaphore
from typing import Any

from flask import Response, request
from flask_openapi3 import RawModel
from pydantic import BaseModel, Field

from epistem.core.prompts.tool import Tool
from epistem.core.prompts.tools import How, parameters_of
from epistem.core.shapes import Document
from epistem.core.tools.addresses import origin_in
from epistem.core.tools.rows import Value
from epistem.reach.code import installed
from epistem.reach.mariadb import Place
from epistem.store.database import Transaction
from epistem.store.tools import answers, kept, sources
from epistem.store.tools.sources import KeptSource
from epistem.web.pages import fitting
from epistem.web.permits import held
from epistem.web.problems import Problem
from epistem.web.replies import Moment, Shape, blueprint, database, reply, transaction, who
from epistem.work.tools import keeping

bp = blueprint("tools")

AT_ONCE = 8
FULL = "Other tools are being called at the moment. Try again in a little while."
_calling = BoundedSemaphore(AT_ONCE)
MOST_CALLS = 20
MOST_LISTED = 120
"""Tools, sources and addresses each: with all that is told of them the answer stays under 200 kB."""
MOST_SHOWN = 20_000
"""Characters of what a call by hand answered then, in the list of such calls."""


class KeptToolLine(Shape):
    name: str
    newest: int
    description: str
    kind: str = Field(description="What it does; `fixed` for one that gives its answers.")
    changes: bool


class AllowedShape(Shape):
    """`inside`: it may stand for this machine or its network."""

    address: str
    inside: bool
    allowed_at: Moment
    allowed_by: str


class SourceLine(Shape):
    """`file` is that of an attached one, `place` where another is."""

    name: str
    about: str
    kind: str
    file: str
    size: int
    place: str
    changed_at: Moment
    changed_by: str


class Toolbox(Shape):
    """The first of each by name; `more` says whether there are others. `installed` are the entry points that a tool may
    call."""

    tools: list[KeptToolLine]
    sources: list[SourceLine]
    addresses: list[AllowedShape]
    installed: list[str]
    more: bool


class KeptToolVersion(Shape):
    number: int
    note: str
    created_at: Moment
    saved_by: str


class KeptToolUse(Shape):
    """`where` is `draft`, or the subject's newest version as `v3`."""

    subject: str
    version: int
    where: str


class KeptToolPage(Shape):
    """Its versions, newest first, and the newest as it is."""

    name: str
    versions: list[KeptToolVersion]
    content: Tool
    used_by: list[KeptToolUse]


class KeptToolContent(Shape):
    number: int
    content: Tool


class NewTool(Document):
    name: str = Field(max_length=200)
    content: Tool


class NewToolVersion(Document):
    """`after` is the version that it was made of: nothing is saved over another one that came since."""

    content: Tool
    after: int | None = Field(None, ge=1)
    note: str = Field("", max_length=500)


class CallIn(Document):
    """`tool` is the name under which it is kept, where the call is to be kept with it."""

    content: Tool
    arguments: str = Field("{}", max_length=100_000)
    allowed: bool = False
    tool: str = Field("", max_length=63)


class CallOut(Shape):
    """What the model would be told; `fault` says what went wrong."""

    answer: str
    fault: str | None
    how: How
    ms: float


class ByHandShape(CallOut):
    id: int
    arguments: str
    started_at: Moment


class ByHandList(Shape):
    calls: list[ByHandShape]


class ToolTakes(Shape):
    """JSON Schema of what it is called with."""

    parameters: dict[str, Any]


class NewPlace(Document):
    about: str = Field("", max_length=200)
    host: str = Field(min_length=1, max_length=255)
    port: int = Field(3306, ge=1, le=65_535)
    user: str = Field("", max_length=80)
    database: str = Field("", max_length=64)
    key: str = Field("", max_length=120, description="Reference of the password; empty for none.")


class SourcePage(Shape):
    """Its tables, as a model is shown them; `fault` says why they can't be read."""

    source: SourceLine
    tables: str
    fault: str | None


class Statement(Document):
    statement: str = Field(max_length=20_000)


class RowsShape(Shape):
    columns: list[str]
    rows: list[list[Value]]
    more: bool


class NewAddress(Document):
    address: str = Field(max_length=300)
    inside: bool = False


class KeptToolPath(BaseModel):
    tool: str


class KeptToolVersionPath(KeptToolPath):
    number: int = Field(ge=1)


class SourcePath(BaseModel):
    source: str


class AttachedAs(BaseModel):
    about: str = Field("", max_length=200)
    file: str = Field("", max_length=300, description="What the file is called.")


class SqliteBytes(RawModel):
    mimetypes: list[str] = ["application/octet-stream"]  # noqa: RUF012


@bp.get(
    "/tools",
    responses={200: Toolbox},
    operation_id="listTools",
    summary="Tools, sources, addresses",
)
def list_tools() -> Response:
    with transaction() as tx:
        return reply(_toolbox(tx))


@bp.post(
    "/tools", responses={201: KeptToolPage, 409: Problem}, operation_id="createTool",
    summary="Keep a tool for several prompts",
)  # fmt: skip
def create_tool(body: NewTool) -> Response:
    name = body.name.strip()
    with transaction() as tx:
        keeping.create(tx, name, body.content)
        return reply(_page(tx, name), 201)


@bp.get(
    "/tools/<tool>", responses={200: KeptToolPage}, operation_id="getTool",
    summary="One tool, its versions, and who uses it",
)  # fmt: skip
def get_tool(path: KeptToolPath) -> Response:
    with transaction() as tx:
        return reply(_page(tx, path.tool))


@bp.get(
    "/tools/<tool>/versions/<int:number>", responses={200: KeptToolContent},
    operation_id="getToolVersion", summary="A version of a tool",
)  # fmt: skip
def get_tool_version(path: KeptToolVersionPath) -> Response:
    with transaction() as tx:
        content = kept.version(tx, path.tool, path.number)
    return reply(KeptToolContent(number=path.number, content=content))


@bp.post(
    "/tools/<tool>/versions", responses={200: KeptToolPage, 201: KeptToolPage, 412: Problem},
    operation_id="saveTool", summary="Save a new version; prompts stay with the one they have",
)  # fmt: skip
def save_tool(path: KeptToolPath, body: NewToolVersion) -> Response:
    with transaction() as tx:
        _, new = keeping.save(tx, path.tool, body.content, body.note.strip(), after=body.after)
        return reply(_page(tx, path.tool), 201 if new else 200)


@bp.get(
    "/tools/<tool>/calls", responses={200: ByHandList}, operation_id="listCallsByHand",
    summary="The latest calls of a tool by hand",
)  # fmt: skip
def list_calls_by_hand(path: KeptToolPath) -> Response:
    with transaction() as tx:
        found = answers.by_hand(tx, kept.get(tx, path.tool).id, MOST_CALLS)
    lines = [
        ByHandShape(
            id=each.id,
            arguments=str(each.asked.get("arguments", ""))[:MOST_SHOWN],
            answer=str(each.came.get("answer", ""))[:MOST_SHOWN],
            fault=each.came.get("fault"),
            how=each.came.get("how", "live"),
            ms=each.ms,
            started_at=each.started_at,
        )
        for each in found
    ]
    return reply(ByHandList(calls=fitting(lines, MOST_CALLS)[0]))


@bp.post(
    "/tool-calls", responses={200: CallOut}, operation_id="callTool", summary="Call a tool by hand"
)
def call_tool(body: CallIn) -> Response:
    with held(_calling, FULL):
        told = keeping.call_by_hand(
            database(), body.content, body.arguments, allowed=body.allowed, tool=body.tool, by=who()
        )
    return reply(CallOut(answer=told.answer, fault=told.fault, how=told.how, ms=told.ms))


@bp.post(
    "/tool-parameters", responses={200: ToolTakes}, operation_id="toolTakes",
    summary="What a tool is called with: its own parameters, or those of what it does",
)  # fmt: skip
def tool_takes(body: Tool) -> Response:
    return reply(ToolTakes(parameters=parameters_of(body)))


@bp.get(
    "/sources/<source>",
    responses={200: SourcePage},
    operation_id="getSource",
    summary="A source, and its tables",
)
def get_source(path: SourcePath) -> Response:
    with transaction() as tx:
        line = _source(sources.get(tx, path.source))
    with held(_calling, FULL):
        tables, fault = keeping.looked_into(database(), path.source)
    return reply(SourcePage(source=line, tables=tables, fault=fault))


@bp.put(
    "/sources/<source>/file", responses={200: SourceLine}, operation_id="attachSource",
    summary="Attach an SQLite file, in the place of what was there",
)  # fmt: skip
def attach_source(path: SourcePath, query: AttachedAs, raw: SqliteBytes) -> Response:
    content = request.get_data(cache=False)
    with transaction() as tx:
        keeping.attach(tx, path.source, query.about.strip(), query.file, content)
        return reply(_source(sources.get(tx, path.source)))


@bp.put(
    "/sources/<source>", responses={200: SourceLine}, operation_id="pointSource",
    summary="A MariaDB database elsewhere",
)  # fmt: skip
def point_source(path: SourcePath, body: NewPlace) -> Response:
    told = body.model_dump()
    about = told.pop("about").strip()
    with transaction() as tx:
        keeping.point_to(tx, path.source, about, Place(**told))
        return reply(_source(sources.get(tx, path.source)))


@bp.delete(
    "/sources/<source>", responses={204: None, 409: Problem}, operation_id="removeSource",
    summary="Remove a source",
)  # fmt: skip
def remove_source(path: SourcePath) -> Response:
    with transaction() as tx:
        keeping.remove_source(tx, path.source)
    return Response(status=204)


@bp.post(
    "/sources/<source>/query", responses={200: RowsShape}, operation_id="querySource",
    summary="Run a statement that only reads",
)  # fmt: skip
def query_source(path: SourcePath, body: Statement) -> Response:
    with transaction() as tx:
        sources.get(tx, path.source)
    with held(_calling, FULL):
        found = keeping.query(database(), path.source, body.statement)
    rows = [[_short(value) for value in row] for row in found.rows]
    return reply(RowsShape(columns=list(found.columns), rows=rows, more=found.more))


@bp.put(
    "/tool-addresses", responses={200: Toolbox}, operation_id="allowAddress",
    summary="Allow tools to reach an address",
)  # fmt: skip
def allow_address(body: NewAddress) -> Response:
    with transaction() as tx:
        keeping.allow(tx, body.address, inside=body.inside)
        return reply(_toolbox(tx))


@bp.delete(
    "/tool-addresses", responses={200: Toolbox}, operation_id="disallowAddress",
    summary="Allow an address no more",
)  # fmt: skip
def disallow_address(body: NewAddress) -> Response:
    with transaction() as tx:
        if (origin := origin_in(body.address.strip())) is not None:
            answers.disallow(tx, origin)
        return reply(_toolbox(tx))


def _toolbox(tx: Transaction) -> Toolbox:
    """One more of each is looked for than is told, to see whether there are others."""
    tools = [
        KeptToolLine(
            name=line.name,
            newest=line.newest,
            description=line.content.description[:200],
            kind=line.content.does.kind if line.content.does else "fixed",
            changes=line.content.changes,
        )
        for line in kept.lines(tx, MOST_LISTED + 1)
    ]
    addresses = [
        AllowedShape(
            address=str(each.origin),
            inside=each.inside,
            allowed_at=each.allowed_at,
            allowed_by=each.allowed_by,
        )
        for each in answers.addresses(tx, MOST_LISTED + 1)
    ]
    lines = [_source(each) for each in sources.all_of(tx, MOST_LISTED + 1)]
    told = (tools, lines, addresses)
    return Toolbox(
        tools=tools[:MOST_LISTED],
        sources=lines[:MOST_LISTED],
        addresses=addresses[:MOST_LISTED],
        installed=installed()[:MOST_LISTED],
        more=any(len(each) > MOST_LISTED for each in told),
    )


def _page(tx: Transaction, name: str) -> KeptToolPage:
    found = kept.get(tx, name)
    return KeptToolPage(
        name=name,
        versions=[KeptToolVersion.model_validate(each) for each in found.versions],
        content=found.content,
        used_by=[KeptToolUse.model_validate(each) for each in kept.used_by(tx, name)],
    )


def _source(found: KeptSource) -> SourceLine:
    place = found.place
    where = f"{place['user']}@{place['host']}:{place['port']}/{place['database']}" if place else ""
    told = {name: getattr(found, name) for name in SourceLine.model_fields if name != "place"}
    return SourceLine(**told, place=where)


def _short(value: Value) -> Value:
    return f"{value[:400]}…" if isinstance(value, str) and len(value) > 400 else value
