import { byHeader } from "@/frame/who";
import { noConnection, problemFrom, Refusal } from "./client";
import type { Problem, ToolUse, TriedAnswer, TryOut } from "./schema";

export type Piece = { kind: "content" | "reasoning"; text: string } | { kind: "tool"; use: ToolUse };

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
  for await (const [event, data] of events(response.body)) {
    if (event === "piece") onPiece(JSON.parse(data) as Piece);
    else if (event === "tool") onPiece({ kind: "tool", use: JSON.parse(data) as ToolUse });
    else if (event === "answer") return JSON.parse(data) as TriedAnswer;
    else if (event === "problem") throw new Refusal(JSON.parse(data) as Problem);
  }
  throw noConnection();
}

/** The events of a stream: name and data. */
async function* events(body: ReadableStream<Uint8Array>): AsyncGenerator<[string, string]> {
  const reader = body.getReader();
  const decoder = new TextDecoder();
  let rest = "";
  try {
    for (;;) {
      const { done, value } = await reader.read();
      if (done) return;
      const blocks = (rest + decoder.decode(value, { stream: true })).split("\n\n");
      rest = blocks.pop() ?? "";
      for (const block of blocks) {
        const event = /^event: (.*)$/m.exec(block)?.[1];
        const data = /^data: (.*)$/m.exec(block)?.[1];
        if (event !== undefined && data !== undefined) yield [event, data];
      }
    }
  } finally {
    await reader.cancel().catch(() => undefined);
  }
}
