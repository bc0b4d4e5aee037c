import { EventSourceParserStream } from "eventsource-parser/stream";

import { byHeader } from "@/frame/who";
import { noConnection, problemFrom, Refusal } from "./client";
import type { Problem, ToolUse, TriedAnswer, TryOut } from "./schema";

/** A call that somebody has to allow before it is made. */
export interface Waiting {
  token: string;
  name: string;
  arguments: string;
}
export type Piece = { kind: "content" | "reasoning"; text: string } | { kind: "tool"; use: ToolUse } | { kind: "allow"; call: Waiting };

/** One answer, its pieces told as they come. Throws a Refusal, or an AbortError when it is stopped. */
export async function streamTry(
  name: string,
  body: TryOut,
  signal: AbortSignal,
  onPiece: (piece: Piece) => void,
): Promise<TriedAnswer> {
  const response = await fetch(`/api/v1/subjects/${encodeURIComponent(name)}/tries/stream`, {
    method: "POST",
    headers: { "Content-Type": "application/json", ...byHeader() },
    body: JSON.stringify(body),
    signal,
  }).catch((wrong: unknown) => {
    throw signal.aborted ? wrong : noConnection();
  });
  if (!response.ok || !response.body) throw new Refusal(await problemFrom(response));
  const reader = response.body.pipeThrough(new TextDecoderStream()).pipeThrough(new EventSourceParserStream()).getReader();
  try {
    for (let next = await reader.read(); !next.done; next = await reader.read()) {
      const { event, data } = next.value;
      if (event === "piece") onPiece(JSON.parse(data) as Piece);
      else if (event === "tool") onPiece({ kind: "tool", use: JSON.parse(data) as ToolUse });
      else if (event === "allow") onPiece({ kind: "allow", call: JSON.parse(data) as Waiting });
      else if (event === "answer") return JSON.parse(data) as TriedAnswer;
      else if (event === "problem") throw new Refusal(JSON.parse(data) as Problem);
    }
  } finally {
    await reader.cancel().catch(() => undefined);
  }
  throw noConnection();
}
