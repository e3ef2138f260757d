import { act, cleanup, renderHook } from "@testing-library/react";
import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { useAwake } from "./wake";

/** The browser's wake lock, as the Screen Wake Lock API has it: it is let go when the page is hidden. */
class Sentinel {
  released = false;
  release = vi.fn(async () => void (this.released = true));
}

const request = vi.fn();
let held: Sentinel[] = [];
beforeEach(() => {
  held = [];
  request.mockReset().mockImplementation(async () => {
    held.push(new Sentinel());
    return held.at(-1);
  });
  vi.stubGlobal("navigator", Object.assign(Object.create(navigator), { wakeLock: { request } }));
});
afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
  vi.unstubAllGlobals();
});
const settle = () => act(async () => undefined);

test("the screen is kept on while it is asked for, and no longer", async () => {
  const { rerender, unmount } = renderHook(({ active }) => useAwake(active), { initialProps: { active: false } });
  expect(request).not.toHaveBeenCalled();

  rerender({ active: true });
  await settle();
  expect(request).toHaveBeenCalledWith("screen");
  rerender({ active: false });
  await settle();
  expect(held[0]!.released).toBe(true);
  unmount();
});

test("a page that is looked at again keeps it on again", async () => {
  renderHook(() => useAwake(true));
  await settle();
  held[0]!.released = true;
  act(() => void document.dispatchEvent(new Event("visibilitychange")));
  await settle();

  expect(request).toHaveBeenCalledTimes(2);
});

test("a browser that does not, or refuses, leaves the shot alone", async () => {
  request.mockRejectedValue(new DOMException("low battery", "NotAllowedError"));
  renderHook(() => useAwake(true));
  await settle();
  vi.stubGlobal("navigator", {});
  expect(() => renderHook(() => useAwake(true))).not.toThrow();
});
