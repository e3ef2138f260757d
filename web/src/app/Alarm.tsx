import { useEffect, useRef } from "react";
import { useLive } from "../api/live";
import { sound, waitForTouch } from "../lib/alarm";

const TITLE = "Open Stake";

/** Says a lost fix where nobody looks at the page: by sound, vibration and the title. Draws nothing. */
export function Alarm() {
  const gone = useLive(({ connection }) => connection === "lost");
  const status = useLive(({ live }) => live?.status ?? "");
  const word = useLive(({ live }) => live?.status_word ?? "");
  const rover = useLive(({ live }) => live?.rover_id ?? "");
  const before = useRef({ rover: "", fixed: false });

  useEffect(waitForTouch, []);
  useEffect(() => {
    const fixed = status === "fixed";
    const same = before.current.rover === rover && status !== "";
    if (before.current.fixed && !fixed && (gone || same)) sound();
    before.current = { rover, fixed };
    const says = gone ? "NO PROGRAM" : word;
    document.title = says && !fixed ? `${says} · ${TITLE}` : TITLE;
    return () => {
      document.title = TITLE;
    };
  }, [gone, status, word, rover]);
  return null;
}
