import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen, waitFor } from "@testing-library/react";
import { MemoryRouter } from "react-router";
import { afterEach, beforeEach, expect, test, vi } from "vitest";
import type { Schemas } from "../../api/client";
import { setLive } from "../../api/live";
import { PointsView } from "./PointsView";

const JOB = { id: "j1", name: "Test", length_unit: "m", time_zone: "UTC" } as Schemas["JobView"];
const GUARD_OFF = "FIXED ONLY IS OFF: what is recorded now may be metres out.";
const HOLDS = { without_mark: "", fixed_only: "The rover is float: recording waits until it is fixed.", any_epoch: "Anything is taken." };
const LIVE = { rover_id: "r1", status: "float", shot: null, holds: HOLDS } as unknown as Schemas["Live"];
const kind = (name: string, seconds: number) => ({ name, seconds, tilt_off: name === "control" }) as Schemas["ShotKind"];
const POINT = {
  id: "s1", label_id: "l1", name: "102", code: "EP", note: "", kind: "topo", created_s: 0, east_m: 1, north_m: 2, height_m: 3,
  fixed_only: false, not_fixed: 4, guard_words: "not fixed only", moved_words: "", epochs: 5, left_out: 1, effective_n: 2, photos: [], findings: [],
} as unknown as Schemas["PointView"]; // prettier-ignore

/** What the page sent, and the server that takes or refuses it. */
const sent: { path: string; body: unknown }[] = [];
let refusal: object | null = null;

beforeEach(() => {
  sent.length = 0;
  refusal = null;
  vi.stubGlobal("fetch", async (request: Request) => {
    const path = new URL(request.url).pathname;
    const answers: Record<string, unknown> = {
      "/api/jobs/j1/points": { points: [POINT], next: null, next_name: "103", last_name: "102", guard: GUARD_OFF },
      "/api/jobs/j1/points/settings": { settings: { kinds: [kind("topo", 2), kind("control", 180)], codes: [{ code: "EP", words: "edge of pavement" }] } },
    };
    if (request.method === "POST") {
      sent.push({ path, body: await request.json() });
      if (refusal) return new Response(JSON.stringify(refusal), { status: 422, headers: { "Content-Type": "application/json" } });
    }
    return new Response(JSON.stringify(answers[path] ?? {}), { headers: { "Content-Type": "application/json" } });
  });
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

function show(live: Schemas["Live"] | null) {
  setLive({ live });
  render(
    <QueryClientProvider client={new QueryClient()}>
      <MemoryRouter>
        <PointsView job={JOB} tabs={null} />
      </MemoryRouter>
    </QueryClientProvider>,
  );
}
const record = () => screen.getByRole("button", { name: /^Record/ });
const topo = () => screen.findByRole("radio", { name: /topo/ });

test("the next name is offered, and an empty name asks the server to count up", async () => {
  show(LIVE);
  await topo();
  expect(await screen.findByText("Name, next is 103")).toBeTruthy();

  fireEvent.click(record());

  await waitFor(() => expect(sent).toHaveLength(1));
  expect(sent[0]).toMatchObject({ path: "/api/jobs/j1/points", body: { kind: "topo", name: "", fixed_only: true, rover_id: "r1" } });
});

test("with the guard off the page says so, loudly, as long as it is off", async () => {
  show(LIVE);
  await topo();
  expect(screen.queryByRole("alert")).toBeNull();
  expect(screen.getByText(HOLDS.fixed_only)).toBeTruthy();

  fireEvent.click(screen.getByRole("switch", { name: /Fixed only/ }));

  await waitFor(() => expect(screen.getByRole("alert").textContent).toContain(GUARD_OFF));
  fireEvent.click(screen.getByRole("switch", { name: /Fixed only/ }));
  expect(screen.queryByRole("alert")).toBeNull();
});

test("a point that holds epochs that were not fixed carries it in the list", async () => {
  show(LIVE);
  expect(await screen.findByText(/not fixed only/)).toBeTruthy();
});

test("a refused name is said at the name, and what was typed stays", async () => {
  refusal = { detail: "Point 102 is there already.", field: "name" };
  show(LIVE);
  await topo();
  const name = screen.getByRole("textbox", { name: /^Name/ });
  fireEvent.change(name, { target: { value: "102" } });

  fireEvent.click(record());

  expect(await screen.findByText("Point 102 is there already.")).toBeTruthy();
  expect((name as HTMLInputElement).value).toBe("102");
});

test("a shot that is held back says for what, and can be dropped", async () => {
  show({ ...LIVE, shot: { id: "s", wanted_s: 180, collected_s: 0, waiting_for: "a fixed solution (now float)", words: "Held back: waiting for a fixed solution (now float).", unreported: "", by: "", track: false } });

  expect(screen.getByText("Held back: waiting for a fixed solution (now float).")).toBeTruthy();
  fireEvent.click(screen.getByRole("button", { name: /Drop/ }));
  await waitFor(() => expect(sent).toMatchObject([{ path: "/api/jobs/j1/points/drop", body: { rover_id: "r1" } }]));
});

test("nothing is recorded while no rover is listened to", async () => {
  show(null);
  await topo();
  expect(record().hasAttribute("disabled")).toBe(true);
});

test("control asks whether the tilt is off, and sends what the crew says", async () => {
  show(LIVE);
  await topo();
  fireEvent.click(screen.getByRole("radio", { name: /control/ }));
  fireEvent.click(await screen.findByRole("switch", { name: /Tilt compensation is off/ }));
  fireEvent.click(record());

  await waitFor(() => expect(sent).toMatchObject([{ body: { kind: "control", tilt: "off" } }]));
});
