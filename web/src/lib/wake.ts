import { useEffect } from "react";

/** Keep the screen awake while something goes on, where the browser allows it; taken again when the page is looked at again. */
export function useAwake(active: boolean) {
  useEffect(() => {
    const wakeLock = navigator.wakeLock as WakeLock | undefined;
    if (!active || !wakeLock) return;
    let held: WakeLockSentinel | null = null;
    let over = false;
    const take = async () => {
      if (document.hidden || (held && !held.released)) return;
      try {
        const sentinel = await wakeLock.request("screen");
        if (over) await sentinel.release();
        else held = sentinel;
      } catch {
        // A battery that is low, or a browser that does not: the shot goes on all the same.
      }
    };
    const again = () => void take();
    document.addEventListener("visibilitychange", again);
    again();
    return () => {
      over = true;
      document.removeEventListener("visibilitychange", again);
      void held?.release();
    };
  }, [active]);
}
