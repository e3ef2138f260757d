import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen, waitFor } from "@testing-library/react";
import type { FunctionComponent } from "react";
import { MemoryRouter } from "react-router";
import { afterEach, beforeEach, expect, test, vi } from "vitest";
import type { Schemas } from "../../api/client";
import { ClosingView } from "./ClosingView";
import { HandoverView } from "./HandoverView";
import type { ViewProps } from "../../ui/view";

const JOB = { id: "j1", name: "Test", length_unit: "m", time_zone: "UTC" } as Schemas["JobView"];
const step = (key: string, state: string) =>
  ({ key, state, title: `Title of ${key}`, words: `Words of ${key}.`, action: `Action of ${key}.`, page: "base" }) as Schemas["HandoverStep"];
const item = (key: string, state: string, known: boolean) =>
  ({ key, state, known, what: `What of ${key}`, why: `Why of ${key}.`, page: known ? "check" : "" }) as Schemas["ClosingItem"];

/** What the server has to say, by path; an answer that is missing is an error. */
let answers: Record<string, unknown> = {};
const sent: unknown[] = [];

beforeEach(() => {
  sent.length = 0;
  vi.stubGlobal("fetch", async (request: Request) => {
    if (request.method === "POST") sent.push(await request.json());
    const found = answers[new URL(request.url).pathname];
    const body = found ?? { detail: "The job cannot be read.", field: null };
    return new Response(JSON.stringify(body), { status: found ? 200 : 500, headers: { "Content-Type": "application/json" } });
  });
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

function show(View: FunctionComponent<ViewProps>) {
  const queries = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  render(
    <QueryClientProvider client={queries}>
      <MemoryRouter>
        <View job={JOB} tabs={null} />
      </MemoryRouter>
    </QueryClientProvider>,
  );
}

test("closing counts what is done, links what the program knows, and ticks the rest", async () => {
  answers = { "/api/jobs/j1/closing": { items: [item("check-out", "due", true), item("raw", "done", true), item("files", "due", false)], due: 2 } };
  show(ClosingView);

  expect(await screen.findByText("1 of 3")).toBeTruthy();
  expect(screen.getByText("What of check-out").closest("a")?.getAttribute("href")).toBe("/job/j1/check");
  expect(screen.queryByRole("checkbox", { name: /check-out/ })).toBeNull();
  fireEvent.click(screen.getByText("What of files"));
  await waitFor(() => expect(sent).toEqual([{ key: "files", done: true }]));
});

test("from network to radio the first step that is not done is the action", async () => {
  const steps = [step("measured", "checked"), step("set up", "missing"), step("radio", "missing")];
  answers = { "/api/jobs/j1/handover": { steps, next: "set up", advice: "Action of set up.", findings: [] } };
  show(HandoverView);

  expect((await screen.findByRole("link", { name: "Title of set up" })).getAttribute("href")).toBe("/job/j1/base");
  // Beside the action and at its step, and not at the step that is done.
  expect(screen.getAllByText("Action of set up.")).toHaveLength(2);
  expect(screen.queryByText("Action of measured.")).toBeNull();
  expect(screen.queryByText(/Both stand on one frame/)).toBeNull();
});

test("where no step is left there is no action, and the server says so", async () => {
  const steps = [step("measured", "checked"), step("set up", "entered"), step("frame", "checked")];
  answers = { "/api/jobs/j1/handover": { steps, next: null, advice: "Both are in one frame. Go on.", findings: [] } };
  show(HandoverView);
  expect(await screen.findByText("Both are in one frame. Go on.")).toBeTruthy();
  expect(screen.queryByRole("link")).toBeNull();
});

test("what cannot be read is not taken for one frame", async () => {
  answers = {};
  show(HandoverView);
  expect(screen.queryByText(/Both stand on one frame/)).toBeNull();
  expect(await screen.findByText("The job cannot be read.")).toBeTruthy();
  expect(screen.queryByText(/Both stand on one frame/)).toBeNull();
});

test("a frame that disagrees stays the action, with its finding", async () => {
  const finding = {
    code: "sources-disagree", link: "link", severity: "stop", is_stop: true, sentence: "They differ by 0.100 m.", cause: "Two frames.",
    action: "Do not go on.", source: "common practice, no source", numbers: {}, field: "",
  }; // prettier-ignore
  answers = { "/api/jobs/j1/handover": {
    steps: [step("measured", "checked"), step("frame", "disagrees")], next: "frame", advice: "Action of frame.", findings: [finding],
  } };
  show(HandoverView);
  expect(await screen.findByRole("link", { name: "Title of frame" })).toBeTruthy();
  expect(screen.getByText(/They differ by 0.100 m/)).toBeTruthy();
  expect(screen.getByText("Do not go on.")).toBeTruthy();
});
