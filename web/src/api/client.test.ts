import { afterEach, describe, expect, it, vi } from "vitest";
import { answer, client } from "./client";

const path = { params: { path: { job_id: "j" } } };
const reading = (text: string) => client.POST("/api/jobs/{job_id}/base/readings", { ...path, body: { reading: text, feature: "bottom" } as never });

function keysOf(sent: Request[]) {
  return sent.map((request) => request.headers.get("Idempotency-Key"));
}

describe("what writes", () => {
  afterEach(() => vi.unstubAllGlobals());

  it("carries one key for one press, however often it is pressed", async () => {
    const sent: Request[] = [];
    vi.stubGlobal("fetch", (request: Request) => {
      sent.push(request);
      return Promise.resolve(new Response("{}", { headers: { "Content-Type": "application/json" } }));
    });
    await Promise.all([answer(reading("1.5")), answer(reading("1.5")), answer(reading("1.6"))]);
    await answer(reading("1.5"));
    const [first, second, other, soonAfter] = keysOf(sent);
    expect(first).toMatch(/^[0-9a-f]{32}$/);
    expect(second).toBe(first);
    expect(soonAfter).toBe(first);
    expect(other).not.toBe(first);
    await new Promise((resolve) => setTimeout(resolve, 600));
    await answer(reading("1.5"));
    expect(keysOf(sent)[4]).not.toBe(first);
  });

  it("is not what reads", async () => {
    const sent: Request[] = [];
    vi.stubGlobal("fetch", (request: Request) => {
      sent.push(request);
      return Promise.resolve(new Response("{}", { headers: { "Content-Type": "application/json" } }));
    });
    await answer(client.GET("/api/jobs/{job_id}/base", path));
    expect(keysOf(sent)).toEqual([null]);
  });
});
