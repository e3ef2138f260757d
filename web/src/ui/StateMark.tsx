/** A state as a shape: whole, dotted, missing, cut, grey, a point. The word always stands beside it. */
export type State = "checked" | "entered" | "missing" | "disagrees" | "out of date" | "not needed";

const COLOUR: Record<State, string> = {
  checked: "text-checked",
  entered: "text-ink",
  missing: "text-faded",
  disagrees: "text-flag",
  "out of date": "text-faded",
  "not needed": "text-faded",
};

/** The same for drawings. */
export const STATE_COLOUR: Record<State, string> = {
  checked: "var(--checked)",
  entered: "var(--ink)",
  missing: "var(--faded)",
  disagrees: "var(--flag)",
  "out of date": "var(--faded)",
  "not needed": "var(--faded)",
};

/** `plain`: in the colour of the text, where it stands on a dark ground. */
export function StateMark({ state, size = 22, plain = false }: { state: State; size?: number; plain?: boolean }) {
  return (
    <svg viewBox="0 0 24 24" width={size} height={size} className={`${plain ? "" : COLOUR[state]} shrink-0`} aria-hidden="true">
      {state === "checked" && (
        <>
          <rect x="2" y="2" width="20" height="20" rx="3" fill="currentColor" />
          <path d="M6.5 12.5l4 4 7-9" fill="none" stroke={plain ? "var(--act)" : "var(--page)"} strokeWidth="3" />
        </>
      )}
      {state === "entered" && (
        <circle cx="12" cy="12" r="9" fill="none" stroke="currentColor" strokeWidth="2.5" strokeDasharray="4 3" />
      )}
      {state === "not needed" && <circle cx="12" cy="12" r="3.5" fill="currentColor" />}
      {state === "missing" && <path d="M4 12h16" stroke="currentColor" strokeWidth="2.5" />}
      {state === "disagrees" && (
        <>
          <path d="M2 15h8M14 9h8" stroke="currentColor" strokeWidth="5" />
          <path d="M15 3L9 21" stroke="currentColor" strokeWidth="2" />
        </>
      )}
      {state === "out of date" && (
        <>
          <rect x="3" y="3" width="18" height="18" rx="3" fill="none" stroke="currentColor" strokeWidth="2" />
          <path d="M12 7v6l4 2" fill="none" stroke="currentColor" strokeWidth="2" />
        </>
      )}
    </svg>
  );
}
