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

/** What a page that came over the network sends with everything that writes; empty on the program's own machine. */
let token = "";
export const setToken = (csrf: string) => (token = csrf);

/** Writes on their way, by what they ask: a button pressed twice sends one request, whatever the page does meanwhile. */
const onTheirWay = new Map<string, string>();
const STILL_THE_SAME_MS = 500;

function newKey(): string {
  return Array.from(crypto.getRandomValues(new Uint8Array(16)), (byte) => byte.toString(16).padStart(2, "0")).join("");
}

/** Send a request; what writes carries a key, by which the server does it once. */
async function sendOnce(request: Request): Promise<Response> {
  if (request.method === "GET") return fetch(request);
  const isJson = (request.headers.get("Content-Type") ?? "").startsWith("application/json");
  const asked = `${request.method} ${request.url} ${isJson ? await request.clone().text() : newKey()}`;
  const key = onTheirWay.get(asked) ?? newKey();
  onTheirWay.set(asked, key);
  request.headers.set("Idempotency-Key", key);
  if (token) request.headers.set("X-CSRF-Token", token);
  try {
    return await fetch(request);
  } finally {
    setTimeout(() => onTheirWay.delete(asked), STILL_THE_SAME_MS);
  }
}

export const client = createClient<paths>({ baseUrl: window.location.origin, fetch: sendOnce });

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

/** What the program said of a request that it refused; null where it was not refused. */
export function problemOf(error: unknown): Problem | null {
  return error instanceof Problem ? error : null;
}

export function sentenceOf(error: unknown): string {
  return error instanceof Problem ? error.sentence : String(error);
}
