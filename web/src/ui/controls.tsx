/** Buttons, fields and choices: Headless UI wrapped once, no survey words. */
import {
  Description,
  Field as HeadlessField,
  Input,
  Label,
  Listbox,
  ListboxButton,
  ListboxOption,
  ListboxOptions,
  Switch,
} from "@headlessui/react";
import { Check, ChevronDown, FileUp } from "lucide-react";
import { useRef, type ButtonHTMLAttributes, type ChangeEvent, type ReactNode } from "react";
import { Link } from "react-router";

type ButtonKind = "primary" | "quiet" | "danger";

const KINDS: Record<ButtonKind, string> = {
  primary: "bg-act text-onact border-act",
  quiet: "bg-page text-ink border-line",
  danger: "bg-page text-flag border-flag",
};

export function Button({
  kind = "quiet",
  large = false,
  className = "",
  ...rest
}: ButtonHTMLAttributes<HTMLButtonElement> & { kind?: ButtonKind; large?: boolean }) {
  const size = large ? "h-record px-8 text-2xl font-bold small:px-3 small:text-xl small:leading-6 small:whitespace-normal" : "min-h-touch px-5 text-lg leading-6 font-semibold small:px-4 small:whitespace-normal";
  return (
    <button
      type="button"
      className={`inline-flex items-center justify-center gap-2 rounded border-2 whitespace-nowrap disabled:opacity-45 ${size} ${KINDS[kind]} ${className}`}
      {...rest}
    />
  );
}

/** The one action of a page where it is done on another page. */
export function LinkButton({ to, children }: { to: string; children: ReactNode }) {
  return (
    <Link to={to} className={`inline-flex h-record items-center justify-center rounded border-2 px-8 text-2xl font-bold small:px-3 small:text-xl small:leading-6 ${KINDS.primary}`}>
      {children}
    </Link>
  );
}

/** What a photo may be, for the chooser of files; whether it is one is decided where it is decoded. */
export const PICTURES = "image/jpeg,image/png,image/webp,image/gif";

/** A button that asks for a file and hands it over. */
export function FileButton(props: {
  label: string;
  accept: string;
  onFile: (file: File) => void;
  children: ReactNode;
  kind?: ButtonKind;
  large?: boolean;
  disabled?: boolean;
  className?: string;
}) {
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <Button kind={props.kind ?? "quiet"} large={props.large ?? false} className={props.className ?? ""} disabled={props.disabled} onClick={() => input.current?.click()}>
        <FileUp aria-hidden size={props.large ? 24 : 18} /> {props.children}
      </Button>
      <input
        ref={input}
        type="file"
        aria-label={props.label}
        accept={props.accept}
        tabIndex={-1}
        className="sr-only"
        onChange={(event) => {
          const file = event.target.files?.[0];
          // The same file can be chosen again after it has been mended.
          event.target.value = "";
          if (file) props.onFile(file);
        }}
      />
    </>
  );
}

export function TextField(props: {
  label: string;
  value: string;
  onChange: (value: string) => void;
  hint?: ReactNode;
  problem?: string | null | undefined;
  type?: "text" | "password";
  autoFocus?: boolean;
  placeholder?: string;
  large?: boolean;
  name?: string;
  /** Lines of text that can be pasted in one piece. */
  lines?: number;
}) {
  return (
    <HeadlessField className="flex flex-col gap-1">
      <Label className="font-semibold">{props.label}</Label>
      <Input
        as={props.lines ? "textarea" : "input"}
        {...(props.lines ? { rows: props.lines } : { type: props.type ?? "text" })}
        name={props.name}
        value={props.value}
        onChange={(event: ChangeEvent<HTMLInputElement>) => props.onChange(event.target.value)}
        autoFocus={props.autoFocus ?? false}
        autoComplete="off"
        placeholder={props.placeholder}
        invalid={Boolean(props.problem)}
        className={`min-h-touch w-full min-w-0 rounded border-2 bg-page px-3 ${props.problem ? "border-flag" : "border-line"} ${
          props.large ? "text-2xl font-bold" : "text-lg"
        }`}
      />
      {props.problem ? (
        <Description className="font-semibold text-flag">{props.problem}</Description>
      ) : (
        props.hint && <Description className="text-faded">{props.hint}</Description>
      )}
    </HeadlessField>
  );
}

export interface Option {
  value: string;
  label: string;
  detail?: string;
}

export function Select(props: {
  label: string;
  value: string;
  options: Option[];
  onChange: (value: string) => void;
  hint?: ReactNode;
  compact?: boolean;
}) {
  const chosen = props.options.find((option) => option.value === props.value);
  return (
    <HeadlessField className="flex min-w-0 flex-col gap-1">
      <Label className={props.compact ? "sr-only" : "font-semibold"}>{props.label}</Label>
      <Listbox value={props.value} onChange={props.onChange}>
        <ListboxButton className="flex min-h-touch w-full items-center justify-between gap-2 rounded border-2 border-line bg-page px-3 text-left text-lg">
          <span className="truncate">{chosen?.label ?? "Choose"}</span>
          <ChevronDown size={20} aria-hidden />
        </ListboxButton>
        <ListboxOptions
          anchor={{ to: "bottom start", gap: 4 }}
          className="z-30 max-h-80! min-w-(--button-width) overflow-auto rounded border-2 border-ink bg-page text-lg text-ink shadow-lg"
        >
          {props.options.map((option) => (
            <ListboxOption
              key={option.value}
              value={option.value}
              className="flex min-h-touch items-center gap-3 px-3 data-focus:bg-lath/40 data-selected:font-bold"
            >
              <Check size={18} aria-hidden className={option.value === props.value ? "" : "invisible"} />
              <span>
                {option.label}
                {option.detail && <span className="ml-2 font-normal text-faded">{option.detail}</span>}
              </span>
            </ListboxOption>
          ))}
        </ListboxOptions>
      </Listbox>
      {props.hint && <Description className="text-faded">{props.hint}</Description>}
    </HeadlessField>
  );
}

export function Toggle(props: { label: string; value: boolean; onChange: (value: boolean) => void; hint?: string }) {
  return (
    <HeadlessField className="flex items-center justify-between gap-4">
      <span>
        <Label className="font-semibold">{props.label}</Label>
        {props.hint && <Description className="text-faded">{props.hint}</Description>}
      </span>
      <Switch
        checked={props.value}
        onChange={props.onChange}
        className="group relative h-touch w-20 shrink-0 rounded border-2 border-line bg-page data-checked:border-checked data-checked:bg-checkedwash"
      >
        <span className="absolute top-1 left-1 flex size-9 items-center justify-center rounded bg-faded font-bold text-page transition-transform group-data-checked:translate-x-8 group-data-checked:bg-checked">
          {props.value ? "on" : "off"}
        </span>
      </Switch>
    </HeadlessField>
  );
}

export function Note({ tone = "plain", children }: { tone?: "plain" | "flag" | "checked"; children: ReactNode }) {
  const tones = {
    plain: "border-line bg-page",
    flag: "border-flag bg-flagwash",
    checked: "border-checked bg-checkedwash",
  };
  return <div className={`rounded border-l-8 px-4 py-2 ${tones[tone]}`}>{children}</div>;
}

export function Progress({ label, value, most }: { label: string; value: number; most: number }) {
  return (
    <div
      role="progressbar"
      aria-label={label}
      aria-valuenow={value}
      aria-valuemax={most}
      className="h-4 w-full overflow-hidden rounded border-2 border-line bg-page"
    >
      <div className="h-full bg-checked" style={{ width: `${Math.min(100, (100 * value) / Math.max(most, 1e-6))}%` }} />
    </div>
  );
}

export function Figure(props: { label: string; value: string; sign?: string; hint?: string; tone?: string; large?: boolean }) {
  return (
    <div className="flex flex-col">
      <span className="text-faded">{props.label}</span>
      <span className={`leading-tight font-bold ${props.large ? "text-5xl" : "text-3xl"} ${props.tone ?? ""}`}>
        {props.value}
        {props.sign && <span className="ml-1 text-lg font-semibold">{props.sign}</span>}
      </span>
      {props.hint !== undefined && <span className="text-sm text-faded">{props.hint || "\u00a0"}</span>}
    </div>
  );
}

/** The end of a list that goes on: what is left, and the way to see more of it. */
export function ShowMore(props: { busy: boolean; onMore: () => void; children: ReactNode }) {
  return (
    <p className="mt-2 flex items-center gap-3 text-faded">
      {props.children}
      <Button disabled={props.busy} onClick={props.onMore}>
        show more
      </Button>
    </p>
  );
}
