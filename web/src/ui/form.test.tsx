import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { useState } from "react";
import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { asTyped, FieldForm, type Shown, type Values } from "./form";

const field = (name: string, kind: string, more: Partial<Shown> = {}): Shown => ({
  name, label: name, kind, unit: "", options: [], option_words: [], hint: "", optional: false, used_with: null, fields: [], ...more,
}); // prettier-ignore

const FIELDS = [
  field("name", "text"),
  field("height", "length", { optional: true }),
  field("tracks", "list", { options: ["GPS", "Galileo"] }),
  field("serial", "group", { optional: true, fields: [field("baud", "count")] }),
  field("kind", "choice", { options: ["uhf", "cable"], option_words: ["UHF", "Cable"] }),
  field("frequency", "text", { used_with: { choice: "kind", options: ["uhf"] } }),
  field("rows", "table", { fields: [field("number", "count"), field("every", "number", { unit: "s" })] }),
];

// A length is read by the program while it is typed; nothing answers here.
beforeEach(() => {
  vi.stubGlobal("fetch", () => Promise.resolve(new Response("{}", { headers: { "Content-Type": "application/json" } })));
});

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

function Held({ start, onValues, problem }: { start: Values; onValues: (values: Values) => void; problem?: { field: string; sentence: string } }) {
  const [values, setValues] = useState(start);
  return (
    <QueryClientProvider client={new QueryClient()}>
      <FieldForm
      unit="m"
      fields={FIELDS}
      values={values}
      problem={problem}
      onChange={(next) => {
        setValues(next);
        onValues(next);
      }}
    />
    </QueryClientProvider>
  );
}

test("what is stored is shown as it could be typed: lengths with their metre, numbers as text", () => {
  const typed = asTyped(FIELDS, { name: "x", height: 2, tracks: ["GPS"], serial: { baud: 9600 }, rows: [{ number: 1006, every: 10 }] });

  expect(typed).toEqual({ name: "x", height: "2 m", tracks: ["GPS"], serial: { baud: "9600" }, kind: null, frequency: null, rows: [{ number: "1006", every: "10" }] });
  expect(asTyped(FIELDS, {})).toEqual({ name: null, height: null, tracks: [], serial: null, kind: null, frequency: null, rows: [] });
});

test("a form asks for what its choice uses, says the choice in words, and keeps what was typed for when it is used again", () => {
  render(<Held start={{ kind: "uhf", frequency: "461.025" }} onValues={() => undefined} />);
  expect(screen.getByLabelText("kind").textContent).toContain("UHF");
  expect(screen.getByLabelText<HTMLInputElement>("frequency").value).toBe("461.025");
  cleanup();

  render(<Held start={{ kind: "cable", frequency: "461.025" }} onValues={() => undefined} />);
  expect(screen.getByLabelText("kind").textContent).toContain("Cable");
  expect(screen.queryByLabelText("frequency")).toBeNull();
});

test("typing keeps the text as it is typed, whatever it is: the server reads it", () => {
  const seen = vi.fn();
  render(<Held start={{}} onValues={seen} />);

  fireEvent.change(screen.getByLabelText("height"), { target: { value: "6.5x ft" } });

  expect(seen).toHaveBeenLastCalledWith({ height: "6.5x ft" });
});

test("a list of options keeps their order and takes each once", () => {
  const seen = vi.fn();
  render(<Held start={{ tracks: ["Galileo"] }} onValues={seen} />);

  fireEvent.click(screen.getByRole("checkbox", { name: "GPS" }));
  expect(seen).toHaveBeenLastCalledWith({ tracks: ["GPS", "Galileo"] });
  fireEvent.click(screen.getByRole("checkbox", { name: /Galileo/ }));
  expect(seen).toHaveBeenLastCalledWith({ tracks: ["GPS"] });
});

test("a group that may be left out is set, filled and left out again", () => {
  const seen = vi.fn();
  render(<Held start={{ serial: null }} onValues={seen} />);
  expect(screen.queryByLabelText("baud")).toBeNull();

  fireEvent.click(screen.getByRole("switch"));
  fireEvent.change(screen.getByLabelText("baud"), { target: { value: "38400" } });
  expect(seen).toHaveBeenLastCalledWith({ serial: { baud: "38400" } });
  fireEvent.click(screen.getByRole("switch"));
  expect(seen).toHaveBeenLastCalledWith({ serial: null });
});

test("rows are added, filled and removed without touching the others", () => {
  const seen = vi.fn();
  render(<Held start={{ rows: [{ number: "1006", every: "10" }] }} onValues={seen} />);

  fireEvent.click(screen.getByText("Add a row"));
  fireEvent.change(screen.getAllByLabelText("number")[1]!, { target: { value: "1074" } });
  expect(seen).toHaveBeenLastCalledWith({ rows: [{ number: "1006", every: "10" }, { number: "1074" }] });
  fireEvent.click(screen.getByLabelText("Remove row 1"));
  expect(seen).toHaveBeenLastCalledWith({ rows: [{ number: "1074" }] });
});

test("a refusal stands at its field, and one of a row at its table", () => {
  render(<Held start={{ rows: [{}] }} onValues={() => {}} problem={{ field: "rows.0.every", sentence: "Every is missing." }} />);
  expect(screen.getAllByText("Every is missing.").length).toBeGreaterThan(0);
  cleanup();
  render(<Held start={{}} onValues={() => {}} problem={{ field: "name", sentence: "Name is missing." }} />);
  expect(screen.getByText("Name is missing.")).toBeTruthy();
});
