import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { useEffect, useRef, useState } from "react";
import { useLocation, useNavigate } from "react-router";
import { Button } from "../ui/controls";
import { STEPS } from "./steps";

/** Keys: g and a number goes to a step, r records, ? lists them. They rest while something is being typed. */
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
      if (event.key === "r" && job) {
        if (pathname.endsWith("/check")) document.querySelector<HTMLButtonElement>("[data-record]:not(:disabled)")?.click();
        else void navigate(`${job}/check`);
      }
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
            <dd>Go to Check; there: record</dd>
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
