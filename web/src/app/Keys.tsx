import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { useEffect, useRef, useState } from "react";
import { useLocation, useNavigate } from "react-router";
import { Button } from "../ui/controls";
import { STEPS } from "./steps";

/** Keys that press a button of the page, by what marks it. */
const PRESSES: Record<string, string> = { r: "[data-record]", Escape: "[data-drop]", Backspace: "[data-back]" };

/** Keys: g and a number goes to a step, r records, Escape drops, Backspace takes the last point back, ? lists them. They rest while something is being typed. */
export default function Keys() {
  const [shown, setShown] = useState(false);
  const navigate = useNavigate();
  const { pathname } = useLocation();
  const going = useRef(false);

  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const target = event.target as HTMLElement;
      if (event.ctrlKey || event.metaKey || event.altKey || target.closest("input, textarea, [role=listbox], [role=dialog]"))
        return;
      const job = /^\/job\/[^/]+/.exec(pathname)?.[0];
      if (going.current && job) {
        const step = STEPS.find((item) => String(item.number) === event.key);
        if (step) void navigate(`${job}/${step.step}`);
      }
      going.current = event.key === "g";
      if (event.key === "?") setShown(true);
      const pressed = PRESSES[event.key];
      const button = pressed && document.querySelector<HTMLButtonElement>(`${pressed}:not(:disabled)`);
      if (button) button.click();
      else if (event.key === "r" && job && !document.querySelector("[data-record]")) void navigate(`${job}/watch?view=points`);
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [navigate, pathname]);

  return (
    <Dialog open={shown} onClose={setShown} className="relative z-40">
      <div className="fixed inset-0 bg-ink/40" aria-hidden="true" />
      <div className="fixed inset-0 flex items-center justify-center p-4">
        <DialogPanel className="w-96 rounded border-2 border-ink bg-page p-6 text-ink">
          <DialogTitle className="mb-3 text-2xl font-bold">Keys</DialogTitle>
          <dl className="grid grid-cols-[5rem_1fr] gap-y-2 text-lg">
            {STEPS.map((item) => (
              <div key={item.step} className="contents">
                <dt className="font-bold">g {item.number}</dt>
                <dd>{item.name}</dd>
              </div>
            ))}
            <dt className="font-bold">r</dt>
            <dd>Record; from elsewhere: go to the points</dd>
            <dt className="font-bold">Esc</dt>
            <dd>Drop the shot in hand</dd>
            <dt className="font-bold">Backspace</dt>
            <dd>Take the last point back</dd>
            <dt className="font-bold">?</dt>
            <dd>This list</dd>
          </dl>
          <Button className="mt-4 w-full" onClick={() => setShown(false)}>
            Close
          </Button>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
