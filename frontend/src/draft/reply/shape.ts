/** A JSON Schema of an object as a form shows it. Keywords that the form does not know stay untouched. */

import { isRecord } from "@/parts/values";

export type Schema = Record<string, unknown>;
export type FieldKind = "text" | "integer" | "number" | "yes_no" | "choice" | "list" | "record" | "other";

export const KINDS: { value: FieldKind; label: string }[] = [
  { value: "text", label: "text" },
  { value: "integer", label: "whole number" },
  { value: "number", label: "number" },
  { value: "yes_no", label: "true or false" },
  { value: "choice", label: "choice" },
  { value: "list", label: "list" },
  { value: "record", label: "record" },
];
const TYPES: Partial<Record<FieldKind, string>> = {
  text: "string",
  integer: "integer",
  number: "number",
  yes_no: "boolean",
  list: "array",
  record: "object",
};

export interface Field {
  name: string;
  schema: Schema;
  required: boolean;
}

export function blankShape(): Schema {
  return { type: "object", properties: {}, required: [], additionalProperties: false };
}

/** Whether the form can show it: an object whose fields are named. */
export function isShape(schema: unknown): schema is Schema {
  return isRecord(schema) && (schema.type === "object" || isRecord(schema.properties)) && !Array.isArray(schema.type);
}

export function fieldsOf(schema: Schema): Field[] {
  const required = Array.isArray(schema.required) ? schema.required : [];
  return Object.entries(isRecord(schema.properties) ? schema.properties : {}).map(([name, field]) => ({
    name,
    schema: isRecord(field) ? field : {},
    required: required.includes(name),
  }));
}

/** The schema with these fields; required ones are listed in their order. */
export function withFields(schema: Schema, fields: Field[]): Schema {
  return {
    ...schema,
    properties: Object.fromEntries(fields.map((field) => [field.name, field.schema])),
    required: fields.filter((field) => field.required).map((field) => field.name),
  };
}

export function kindOf(field: Schema): FieldKind {
  if (Array.isArray(field.enum)) return "choice";
  const found = Object.entries(TYPES).find(([, type]) => type === field.type);
  return (found?.[0] as FieldKind | undefined) ?? "other";
}

/** The field as another kind: its description stays, bounds of the old kind go. */
export function withKind(field: Schema, kind: FieldKind): Schema {
  const kept: Schema = field.description === undefined ? {} : { description: field.description };
  if (kind === "choice") return { type: "string", enum: [], ...kept };
  if (kind === "list") return { type: "array", items: { type: "string" }, ...kept };
  if (kind === "record") return { ...blankShape(), ...kept };
  return { type: TYPES[kind], ...kept };
}

/** The field with a keyword set, or without it where the value is nothing. */
export function withKeyword(field: Schema, name: string, value: unknown): Schema {
  const { [name]: _gone, ...rest } = field;
  return value === undefined || value === "" ? rest : { ...rest, [name]: value };
}

/** The names of the keywords that bound this kind, low and high. */
export function boundsOf(kind: FieldKind): [string, string] | null {
  if (kind === "integer" || kind === "number") return ["minimum", "maximum"];
  if (kind === "text") return ["minLength", "maxLength"];
  return kind === "list" ? ["minItems", "maxItems"] : null;
}

export function freshField(fields: Field[]): Field {
  const taken = new Set(fields.map((field) => field.name));
  let number = 1;
  while (taken.has(`field_${number}`)) number += 1;
  return { name: `field_${number}`, schema: { type: "string" }, required: true };
}
