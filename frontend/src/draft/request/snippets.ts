import type { ExactRequest } from "@/api/schema";

/** The request as a command for a shell. A key is named by its reference, never written out. */
export function asCurl(request: ExactRequest): string {
  const key = shellKey(request.key_reference);
  return [
    `curl ${quoted(request.address)} \\`,
    "  -H 'Content-Type: application/json' \\",
    ...(key ? [`  -H "${keyHeader(request, key)}" \\`] : []),
    "  -d @- <<'JSON'",
    JSON.stringify(request.body, null, 2),
    "JSON",
  ].join("\n");
}

/** The request as a program that needs Python alone. */
export function asPython(request: ExactRequest): string {
  const key = pythonKey(request.key_reference);
  return [
    "import json",
    ...(key?.includes("os.") ? ["import os"] : []),
    "import urllib.request",
    "",
    `body = ${literal(request.body, "")}`,
    'headers = {"Content-Type": "application/json"}',
    ...(key ? [pythonHeader(request, key)] : []),
    `request = urllib.request.Request(${JSON.stringify(request.address)}, json.dumps(body).encode(), headers)`,
    "with urllib.request.urlopen(request) as answer:",
    "    print(json.dumps(json.load(answer), indent=2, ensure_ascii=False))",
    "",
  ].join("\n");
}

function keyHeader(request: ExactRequest, key: string): string {
  return request.wire_format === "messages" ? `x-api-key: ${key}` : `Authorization: Bearer ${key}`;
}

function pythonHeader(request: ExactRequest, key: string): string {
  return request.wire_format === "messages" ? `headers["x-api-key"] = ${key}` : `headers["Authorization"] = f"Bearer {${key}}"`;
}

function quoted(text: string): string {
  return `'${text.replaceAll("'", "'\\''")}'`;
}

function shellKey(reference: string | null): string | null {
  if (reference?.startsWith("env:")) return `$${reference.slice(4)}`;
  return reference?.startsWith("file:") ? `$(head -n 1 $EPISTEM_KEYS/${reference.slice(5)})` : null;
}

function pythonKey(reference: string | null): string | null {
  if (reference?.startsWith("env:")) return `os.environ['${reference.slice(4)}']`;
  return reference?.startsWith("file:") ? `open(os.environ['EPISTEM_KEYS'] + '/${reference.slice(5)}').readline().strip()` : null;
}

/** A JSON value as Python writes it. JSON's strings are Python's, too. */
function literal(value: unknown, indent: string): string {
  const inner = `${indent}    `;
  if (value === null) return "None";
  if (typeof value === "boolean") return value ? "True" : "False";
  if (typeof value !== "object") return JSON.stringify(value);
  const [open, close, parts] = Array.isArray(value)
    ? (["[", "]", value.map((each) => literal(each, inner))] as const)
    : (["{", "}", Object.entries(value).map(([key, each]) => `${JSON.stringify(key)}: ${literal(each, inner)}`)] as const);
  return parts.length === 0 ? open + close : `${open}\n${parts.map((part) => `${inner}${part},\n`).join("")}${indent}${close}`;
}
