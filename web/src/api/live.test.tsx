import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, cleanup, renderHook } from "@testing-library/react";
import type { ReactNode } from "react";
import { afterEach, beforeEach, expect, test, vi } from "vitest";

/** The browser's EventSource, driven by hand. */
class Stream extends EventTarget {
  static all: Stream[] = [];
  closed = false;
  onopen: (() => void) | null = null;
  onerror: (() => void) | null = null;
  constructor(readonly url: string) {
    super();
    Stream.all.push(this);
  }
  close() {
    this.closed = true;
  }
  say(topic: string, payload: unknown) {
    this.dispatchEvent(new MessageEvent(topic, { data: JSON.stringify(payload) }));
  }
}

beforeEach(() => {
  Stream.all = [];
  vi.stubGlobal("EventSource", Stream);
});
afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
  vi.unstubAllGlobals();
});

async function follow() {
  const { setLive, useLive, useLiveStream } = await import("./live");
  const queries = new QueryClient();
  const refreshed = vi.spyOn(queries, "invalidateQueries");
  const wrapper = ({ children }: { children: ReactNode }) => (
    <QueryClientProvider client={queries}>{children}</QueryClientProvider>
  );
  const follow = renderHook(() => useLiveStream("j1"), { wrapper });
  return { ...follow, result: renderHook(() => useLive((state) => state)).result, refreshed, setLive, useLive };
}

const newest = () => Stream.all[Stream.all.length - 1]!;

test("what the program says is shown, and a lost program takes its last fix away", async () => {
  const { result } = await follow();
  act(() => newest().onopen?.());
  act(() => newest().say("live", [{ rover_id: "a", status: "fixed" }]));
  expect(result.current).toMatchObject({ connection: "open", live: { status: "fixed" } });

  act(() => newest().onerror?.());

  expect(result.current).toMatchObject({ connection: "lost", live: null });
});

test("after a break everything stored is read again, and so it is when the job changes", async () => {
  const { refreshed } = await follow();
  act(() => newest().onopen?.());
  act(() => newest().onerror?.());
  act(() => newest().onopen?.());
  act(() => newest().say("job", {}));

  const ofTheJob = refreshed.mock.calls.filter(([filter]) => filter?.queryKey?.[0] === "job");
  expect(ofTheJob).toEqual(Array(3).fill([{ queryKey: ["job", "j1"] }]));
  // It may be that the device was signed out.
  expect(refreshed).toHaveBeenCalledWith({ queryKey: ["session"] });
});

test("a program that says nothing for six seconds is cut off, since it was heard last, and is tried again by itself", async () => {
  vi.useFakeTimers({ now: 1_000_000 });
  const { result, unmount } = await follow();
  act(() => newest().onopen?.());
  act(() => newest().say("live", [{ rover_id: "a", status: "fixed" }]));
  act(() => vi.advanceTimersByTime(5000));
  act(() => newest().say("beat", { now_s: 1005 }));
  act(() => vi.advanceTimersByTime(5000));
  expect(result.current).toMatchObject({ connection: "open", lostSince: null, live: { status: "fixed" } });

  act(() => vi.advanceTimersByTime(2000));
  expect(result.current).toMatchObject({ connection: "lost", lostSince: 1_005_000, live: null, rovers: [] });
  expect(Stream.all.length).toBeGreaterThan(1);

  act(() => vi.advanceTimersByTime(20_000));
  expect(result.current.lostSince).toBe(1_005_000);
  expect(Stream.all.slice(0, -1).every((stream) => stream.closed)).toBe(true);
  act(() => newest().onopen?.());
  expect(result.current).toMatchObject({ connection: "open", lostSince: null });
  unmount();
  vi.useRealTimers();
});

test("a clock that is off by more than a second is said, and what comes late does not make it so", async () => {
  vi.useFakeTimers({ now: 1_000_000 });
  const { result, unmount } = await follow();
  const beat = (now_s: number) => act(() => newest().say("beat", { now_s }));
  beat(1000.4);
  beat(996);
  expect(result.current.clockOff_s).toBe(0);
  unmount();

  const slow = await follow();
  act(() => newest().say("beat", { now_s: 1003.2 }));
  expect(slow.result.current.clockOff_s).toBe(-3.2);
  slow.unmount();
  vi.useRealTimers();
});

test("a hidden tab holds no stream, and a tab shown again opens one", async () => {
  const { unmount } = await follow();
  const hidden = vi.spyOn(document, "hidden", "get");
  hidden.mockReturnValue(true);
  act(() => void document.dispatchEvent(new Event("visibilitychange")));
  expect(Stream.all.map((stream) => stream.closed)).toEqual([true]);

  hidden.mockReturnValue(false);
  act(() => void document.dispatchEvent(new Event("visibilitychange")));
  expect(Stream.all.map((stream) => stream.closed)).toEqual([true, false]);
  unmount();
  expect(newest().closed).toBe(true);
});

test("one hidden tab of a browser keeps its stream, and lets go when it is shown", async () => {
  let held: Promise<void> | null = null;
  const request = (_: string, __: LockOptions, take: (lock: object | null) => Promise<void>) => (held = take(held ? null : {}) ?? held);
  vi.spyOn(navigator, "locks", "get").mockReturnValue({ request } as unknown as LockManager);
  const first = await follow();
  const second = await follow();
  const hidden = vi.spyOn(document, "hidden", "get").mockReturnValue(true);

  act(() => void document.dispatchEvent(new Event("visibilitychange")));
  expect(Stream.all.map((stream) => stream.closed)).toEqual([false, true]);

  hidden.mockReturnValue(false);
  act(() => void document.dispatchEvent(new Event("visibilitychange")));
  await held;
  expect(Stream.all.map((stream) => stream.closed)).toEqual([false, true, false]);
  first.unmount();
  second.unmount();
});

test("what is drawn rests while what it selects stays the same", async () => {
  const { useLive } = await follow();
  let drawn = 0;
  const { result } = renderHook(() => {
    drawn += 1;
    return useLive(({ live }) => live?.rover_feed);
  });
  const feed = { state: "receiving", sentence: "Receiving." };
  act(() => newest().onopen?.());
  act(() => newest().say("live", [{ rover_id: "a", age_s: 1.0, rover_feed: feed }]));
  const before = drawn;

  for (const age_s of [1.2, 1.4, 1.6]) act(() => newest().say("live", [{ rover_id: "a", age_s, rover_feed: feed }]));

  expect(result.current).toEqual(feed);
  expect(drawn).toBe(before);
});

test("of two rovers the chosen one is shown, and the first one where it is gone", async () => {
  const { result } = await follow();
  const { chooseRover } = await import("./live");
  act(() => newest().onopen?.());
  act(() => newest().say("live", [{ rover_id: "a", status: "fixed" }, { rover_id: "b", status: "float" }]));
  expect(result.current.live).toMatchObject({ rover_id: "a" });

  act(() => chooseRover("b"));
  expect(result.current.live).toMatchObject({ rover_id: "b", status: "float" });

  act(() => newest().say("live", [{ rover_id: "a", status: "single" }]));
  expect(result.current.live).toMatchObject({ rover_id: "a", status: "single" });
});
