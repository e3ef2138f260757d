import { Plus } from "lucide-react";
import { useState } from "react";
import { sentenceOf, type Schemas } from "../../api/client";
import { useGear } from "../../api/queries";
import { counted } from "../../lib/format";
import { Button, Note } from "../../ui/controls";
import { asTyped, type Values } from "../../ui/form";
import { Page } from "../../ui/Page";
import { GearEditor, type OpenGear } from "./GearEditor";
import type { ViewProps } from "../../ui/view";

type Item = Schemas["GearView"];

/** All gear of this data folder, by kind. */
export function GearView({ job, tabs }: ViewProps) {
  const gear = useGear();
  const [open, setOpen] = useState<OpenGear | null>(null);
  if (open) return <GearEditor job={job} open={open} onClose={() => setOpen(null)} />;
  return (
    <Page title="Gear" why="What the profiles are made of. It is shared by all jobs of this data folder." tabs={tabs}>
      {gear.isError && <Note tone="flag">{sentenceOf(gear.error)}</Note>}
      <div className="grid grid-cols-1 sm:grid-cols-2 gap-5">
        {gear.data?.forms.map((form) => (
          <section key={form.kind} className="min-w-0 rounded border-2 border-line bg-page p-4">
            <div className="mb-1 flex items-center justify-between">
              <h2 className="text-xl font-bold">{form.word}</h2>
              <Button aria-label={`Add to ${form.word}`} onClick={() => setOpen({ form, values: startOf(form), replaces: null })}>
                <Plus aria-hidden size={18} /> Add
              </Button>
            </div>
            <ul>
              {gear.data.items
                .filter((item) => item.kind === form.kind)
                .map((item) => (
                  <li key={item.id}>
                    <button
                      type="button"
                      className="flex min-h-touch w-full items-center justify-between gap-4 border-t border-line text-left"
                      onClick={() => setOpen({ form, values: asTyped(form.fields, item.data), replaces: item })}
                    >
                      <b className="shrink-0">{item.name}</b>
                      <span className="min-w-0 truncate text-base text-faded">{about(item)}</span>
                    </button>
                  </li>
                ))}
            </ul>
          </section>
        ))}
      </div>
    </Page>
  );
}

/** A new thing starts with the first option of each choice. */
function startOf(form: Schemas["GearForm"]): Values {
  return Object.fromEntries(
    form.fields.filter((field) => field.kind === "choice" && !field.optional).map((field) => [field.name, field.options[0]]),
  );
}

/** One line of a thing: what tells it from the next. */
function about(item: Item): string {
  const data = item.data as Record<string, unknown>;
  const list = (value: unknown) => (Array.isArray(value) ? value.length : 0);
  if (item.kind === "receiver") return [data.label_word, data.serial, data.firmware].filter(Boolean).join(", ");
  if (item.kind === "antenna") return `${counted(list(data.features), "place")} to measure to, ${counted(list(data.phase_centres), "phase centre")}`;
  if (item.kind === "pole") return [data.kind, data.fixed_height_m ? `fixed ${String(data.fixed_height_m)} m` : "", data.adjusted_on ? `bubble ${String(data.adjusted_on)}` : "", item.turned].filter(Boolean).join(", ");
  if (item.kind === "radio") return `${String(data.lowest_mhz)} to ${String(data.highest_mhz)} MHz, ${(data.powers_w as string[]).join(", ")} W`;
  if (item.kind === "battery") return `${String(data.count)} × ${String(data.volts)} V ${String(data.amp_hours)} Ah, ${String(data.chemistry)}`;
  return `${String(data.host)}:${String(data.port)} ${String(data.mountpoint)}${item.has_password ? ", password kept" : ""}`;
}
