import { useEffect, useRef } from "react";
import { useLive } from "../api/live";
import { sound } from "../lib/alarm";

const TITLE = "Open Stake";

/** Says a lost fix where nobody looks at the page: by sound, vibration and the title. Draws nothing. */
export function Alarm() {
  const status = useLive(({ live }) => live?.status ?? "");
  const word = useLive(({ live }) => live?.status_word ?? "");
  const rover = useLive(({ live }) => live?.rover_id ?? "");
  const before = useRef({ rover: "", fixed: false });

  useEffect(() => {
    const fixed = status === "fixed";
    const lost = before.current.fixed && !fixed && status !== "" && before.current.rover === rover;
    before.current = { rover, fixed };
    if (lost) sound();
    document.title = word && !fixed ? `${word} · ${TITLE}` : TITLE;
    return () => {
      document.title = TITLE;
    };
  }, [status, word, rover]);
  return null;
}
