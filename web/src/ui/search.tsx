/** A choice among many: typed, found by the server, picked. No survey words. */
import { Combobox, ComboboxButton, ComboboxInput, ComboboxOption, ComboboxOptions, Description, Field, Label } from "@headlessui/react";
import { ChevronDown } from "lucide-react";
import type { ReactNode } from "react";

export interface Found {
  id: string;
  label: string;
  detail?: string;
}

export function SearchSelect<T extends Found>(props: {
  label: string;
  value: T | null;
  found: T[];
  /** How many there are beyond those shown. */
  more: number;
  onSearch: (text: string) => void;
  onPick: (item: T) => void;
  hint?: ReactNode;
}) {
  return (
    <Field className="flex min-w-0 flex-col gap-1">
      <Label className="font-semibold">{props.label}</Label>
      <Combobox
        immediate
        value={props.value}
        by={(a: T | null, b: T | null) => a?.id === b?.id}
        onChange={(item: T | null) => item && props.onPick(item)}
        onClose={() => props.onSearch("")}
      >
        <div className="relative">
          <ComboboxInput
            className="min-h-touch w-full rounded border-2 border-line bg-page pr-12 pl-3 text-lg"
            autoComplete="off"
            placeholder="Choose, or type a part of it"
            displayValue={(item: T | null) => item?.label ?? ""}
            onChange={(event) => props.onSearch(event.target.value)}
          />
          <ComboboxButton className="absolute inset-y-0 right-0 flex w-12 items-center justify-center" aria-label={`Show all: ${props.label}`}>
            <ChevronDown size={20} aria-hidden />
          </ComboboxButton>
        </div>
        <ComboboxOptions
          anchor={{ to: "bottom start", gap: 4 }}
          className="z-30 max-h-80! w-(--input-width) overflow-auto rounded border-2 border-ink bg-page text-lg text-ink shadow-lg empty:invisible"
        >
          {props.found.map((item) => (
            <ComboboxOption key={item.id} value={item} className="flex min-h-touch items-center gap-3 px-3 data-focus:bg-lath/40 data-selected:font-bold">
              <span>
                {item.label}
                {item.detail && <span className="ml-2 font-normal text-faded">{item.detail}</span>}
              </span>
            </ComboboxOption>
          ))}
          {props.more > 0 && <p className="px-3 py-2 text-base text-faded">{props.more} more: type a part of the name.</p>}
        </ComboboxOptions>
      </Combobox>
      {props.hint && <Description className="text-faded">{props.hint}</Description>}
    </Field>
  );
}
