import createClient, { type Middleware } from "openapi-fetch";

import { byHeader } from "@/frame/who";
import type { paths, Problem } from "./schema";

/** What the server answered instead of what was asked for. Its message is made for people. */
export class Refusal extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail);
  }

  get field(): string | null {
    return this.problem.field ?? null;
  }
}

/** The header that says which revision a change is of, so that nobody's edit is lost. */
export function ifMatch(revision: number): { "If-Match": string } {
  return { "If-Match": `"${revision}"` };
}

const sayWho: Middleware = {
  onRequest({ request }) {
    for (const [name, value] of Object.entries(byHeader())) request.headers.set(name, value);
    return request;
  },
};

const throwRefusals: Middleware = {
  async onResponse({ response }) {
    if (response.ok) return response;
    throw new Refusal(await problemFrom(response));
  },
  onError: () => noConnection(),
};

export function noConnection(): Refusal {
  return new Refusal({
    type: "about:blank",
    title: "No connection",
    status: 503,
    detail: "Epistem's server does not answer. What you typed is kept here; is it still running?",
  });
}

export async function problemFrom(response: Response): Promise<Problem> {
  try {
    return (await response.json()) as Problem;
  } catch {
    return {
      type: "about:blank",
      title: response.statusText,
      status: response.status,
      detail: `The server answered ${response.status} without saying why. Its log has more.`,
    };
  }
}

/** Every call throws a Refusal when it is not answered with what was asked for. */
export const api = createClient<paths>({ baseUrl: "" });
api.use(sayWho, throwRefusals);

/** The answer's body; `openapi-fetch` types it as possibly missing, which the middleware rules out. */
export async function got<T>(answer: Promise<{ data?: T }>): Promise<NonNullable<T>> {
  const { data } = await answer;
  return data as NonNullable<T>;
}

export function messageOf(error: unknown): string {
  return error instanceof Error ? error.message : String(error);
}
