import { cleanup, render } from "@testing-library/react";
import { afterEach, expect, test } from "vitest";
import type { Schemas } from "../api/client";
import { FixStrip } from "./FixStrip";

afterEach(cleanup);

function history(runs: Schemas["Run"][], age_s: (number | null)[]): Schemas["History"] {
  const nothing = age_s.map(() => null);
  return { from_s: 0, to_s: 43200, runs, host_s: age_s.map((_, n) => n * 72), age_s, satellites: nothing, horizontal_95_m: nothing, vertical_95_m: nothing };
}

test("twelve hours of one solution are one bar", () => {
  const { container } = render(<FixStrip history={history([{ status: "fixed", from_s: 0, to_s: 43200 }], Array<number>(600).fill(1))} />);

  const bars = container.querySelectorAll("rect");
  expect(bars.length).toBe(1);
  expect(Number(bars[0]!.getAttribute("width"))).toBe(1000);
});

test("nothing is drawn across a gap", () => {
  const { container } = render(<FixStrip history={history([], [1, 1, null, 1])} />);

  expect(container.querySelector("path")!.getAttribute("d")!.match(/M/g)).toHaveLength(2);
});
