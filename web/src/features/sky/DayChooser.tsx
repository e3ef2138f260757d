import { ChevronLeft, ChevronRight, Moon, Sun } from "lucide-react";
import { Button } from "../../ui/controls";
import type { SkyProps } from "./props";

const DAY_MS = 86_400_000;

/** Which day is shown, the one before, the one after, and whether it is its night. */
export function DayChooser({ shown, ask }: Pick<SkyProps, "shown" | "ask">) {
  const moved = (days: number) => new Date(Date.parse(shown.day) + days * DAY_MS).toISOString().slice(0, 10);
  const words = new Date(Date.parse(shown.day)).toLocaleDateString("en-GB", { weekday: "short", day: "numeric", month: "short", timeZone: "UTC" });
  return (
    <div className="flex items-center gap-2" role="group" aria-label="Day">
      <Button aria-label="The day before" className="px-3!" onClick={() => ask({ day: moved(-1) })}>
        <ChevronLeft aria-hidden />
      </Button>
      <span className="min-w-32 text-center text-lg font-semibold whitespace-nowrap">
        {shown.night ? "Night of " : ""}
        {words}
      </span>
      <Button aria-label="The day after" className="px-3!" onClick={() => ask({ day: moved(1) })}>
        <ChevronRight aria-hidden />
      </Button>
      <Button aria-pressed={shown.night} onClick={() => ask({ night: !shown.night })}>
        {shown.night ? <Sun aria-hidden size={20} /> : <Moon aria-hidden size={20} />} {shown.night ? "Day" : "Night"}
      </Button>
    </div>
  );
}
