import { act, cleanup, render } from "@testing-library/react";
import { afterEach, beforeEach, expect, test, vi } from "vitest";
import type { Schemas } from "../api/client";
import { setLive } from "../api/live";
import { setMuted } from "../lib/alarm";
import { Alarm } from "./Alarm";

const rover = (rover_id: string, status: string) => ({ rover_id, status, status_word: status.toUpperCase() }) as Schemas["Live"];
const vibrate = vi.fn();
const say = (live: Schemas["Live"] | null, connection: "open" | "lost" = "open") => act(() => setLive({ live, connection }));

beforeEach(() => {
  vibrate.mockReset();
  vi.stubGlobal("navigator", Object.assign(Object.create(navigator), { vibrate }));
  setMuted(false);
  setLive({ live: null, connection: "open" });
  render(<Alarm />);
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

test("a lost fix is said once, and the title keeps saying what there is", () => {
  say(rover("a", "fixed"));
  expect(document.title).toBe("Open Stake");
  say(rover("a", "float"));
  expect(document.title).toBe("FLOAT · Open Stake");
  say(rover("a", "single"));
  expect(vibrate).toHaveBeenCalledTimes(1);
  say(rover("a", "fixed"));
  expect(document.title).toBe("Open Stake");
});

test("a program that no longer answers is a lost fix", () => {
  say(rover("a", "fixed"));
  say(null, "lost");
  expect(vibrate).toHaveBeenCalledTimes(1);
  expect(document.title).toBe("NO PROGRAM · Open Stake");
});

test("looking at another rover, or a rover that never was fixed, alarms nobody", () => {
  say(rover("a", "fixed"));
  say(rover("b", "float"));
  say(rover("b", "single"));
  expect(vibrate).not.toHaveBeenCalled();
});

test("muted, a lost fix is in the title alone", () => {
  setMuted(true);
  say(rover("a", "fixed"));
  say(rover("a", "float"));
  expect(vibrate).not.toHaveBeenCalled();
  expect(document.title).toBe("FLOAT · Open Stake");
});
