import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render, screen } from "@testing-library/react";
import { MemoryRouter } from "react-router";
import { afterEach, expect, test, vi } from "vitest";
import type { Schemas } from "../../api/client";

const JOB = { id: "j1", name: "Test", length_unit: "sft", practice: false } as Schemas["JobView"];
const CHECK: Schemas["Check"] = {
  id: "c1", mark_id: "m1", mark_name: "NB2", occupation_id: "o1", of_this_base: true, base_words: "", created_s: 0, seconds: 30, epochs: 31, effective_n: 3,
  east_m: 0.001, north_m: -0.002, up_m: 0.1, horizontal_m: 0.0022, words: "", tolerance_horizontal_m: 0.02, tolerance_vertical_m: 0.03,
  expected_horizontal_95_m: 0.018, expected_vertical_95_m: 0.024, expected_ellipse: { major_m: 0.018, minor_m: 0.018, orientation_deg: 0 }, budget: { terms: [], horizontal_95_m: 0.018, vertical_95_m: 0.024, apart_m2: 0, covariance_en_m2: 0 },
  covariance_origin: "receiver-claim", state: "disagrees", agrees: false, horizontal_agrees: true, vertical_agrees: false, stale: true, verdict_word: "outside tolerance", verdict: { word: "stop", reasons: ["The rover is high."] }, point_east_m: 0, point_north_m: 0,
  point_height_m: 0, base_height_reading_ids: ["h"], base_coordinate_id: "b",
  findings: [
    { code: "check-height-off", link: "base antenna", severity: "stop", is_stop: true, sentence: "The rover is high.", cause: "The base height.", action: "Measure again.", source: "common practice, no source", numbers: {}, field: "" },
  ],
}; // prettier-ignore
const HOLDS = { without_mark: "Pick the mark under the pole.", fixed_only: "The rover is float: recording waits until it is fixed.", any_epoch: "" };
const LIVE = { status: "float", shot: null, holds: HOLDS } as unknown as Schemas["Live"];

function answers(checks: Schemas["Check"][]) {
  vi.stubGlobal("fetch", (request: Request) => {
    const body = request.url.includes("/checks/plan") ? { causes: [], notes: [] } : request.url.includes("/checks/settings") ? { id: null, settings: { tolerances: [] }, fields: [] } : request.url.includes("/checks") ? { checks, next: null } : request.url.includes("/marks") ? { marks: [], total: 0, matching: 0, next: null } : {};
    return Promise.resolve(new Response(JSON.stringify(body), { headers: { "Content-Type": "application/json" } }));
  });
}

async function show(live: Schemas["Live"] | null) {
  const { CheckPage } = await import("./CheckPage");
  const { setLive } = await import("../../api/live");
  setLive({ live });
  render(
    <QueryClientProvider client={new QueryClient()}>
      <MemoryRouter>
        <CheckPage job={JOB} />
      </MemoryRouter>
    </QueryClientProvider>,
  );
}

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

test("a check shows what, why and what next, in the job's feet, and that it is out of date", async () => {
  answers([CHECK]);
  await show(LIVE);

  expect(await screen.findByText(/The rover is high/)).toBeTruthy();
  expect(screen.getByText("The base height.")).toBeTruthy();
  expect(screen.getByText("Measure again.")).toBeTruthy();
  // 0.1 m / (1200/3937) = 0.328 ft.
  expect(screen.getByTestId("difference-up").textContent).toBe("+0.33ft");
  expect(screen.getByText(/Recomputed/)).toBeTruthy();
});

test("nothing is recorded without a mark, and the page says what it waits for", async () => {
  answers([]);
  await show(LIVE);

  expect(screen.getByRole("button", { name: /Record/ }).hasAttribute("disabled")).toBe(true);
  expect(screen.getByText("Pick the mark under the pole.")).toBeTruthy();
  expect(await screen.findByText(/No check yet/)).toBeTruthy();
});

test("what holds a recording back is said by the server", async () => {
  answers([]);
  await show({ ...LIVE, holds: { ...HOLDS, without_mark: "The rover is not listened to: start the base first." } });

  expect(screen.getByText("The rover is not listened to: start the base first.")).toBeTruthy();
});

test("a shot in hand shows what it waits for and can be dropped", async () => {
  answers([]);
  await show({ ...LIVE, shot: { id: "s", wanted_s: 30, collected_s: 12, waiting_for: "a fixed solution (now float)", words: "Held back: waiting for a fixed solution (now float).", unreported: "Not reported: a PDOP.", by: "", track: false } });

  expect(screen.getByText("Held back: waiting for a fixed solution (now float).")).toBeTruthy();
  expect(screen.getByText("Not reported: a PDOP.")).toBeTruthy();
  expect(screen.getByRole("button", { name: /Drop the shot/ })).toBeTruthy();
});
