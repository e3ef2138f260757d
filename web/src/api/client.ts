import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];

/** An error is the server's sentence, with the field it belongs to. */
export class Problem extends Error {
  constructor(
    readonly sentence: string,
    readonly status: number,
    readonly field: string | null,
  ) {
    super(sentence);
  }
}

export const client = createClient<paths>({ baseUrl: window.location.origin, fetch: (request) => fetch(request) });

type Answer<T> = { data?: T; error?: unknown; response: Response };

/** Return what the server sent, or throw its problem; no answer at all is a problem too. */
export async function answer<T>(call: Promise<Answer<T>>): Promise<T> {
  let result: Answer<T>;
  try {
    result = await call;
  } catch {
    throw new Problem("The program does not answer. Is it still running?", 0, null);
  }
  if (result.data !== undefined && result.response.ok) return result.data;
  const problem = (result.error ?? {}) as Partial<Schemas["Problem"]>;
  throw new Problem(problem.detail ?? "The program answered with an error.", result.response.status, problem.field ?? null);
}

export function sentenceOf(error: unknown): string {
  return error instanceof Problem ? error.sentence : String(error);
}
