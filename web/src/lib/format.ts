/** Numbers for people. Nothing here computes anything of the job: it only writes what the server sent. */

export type LengthUnit = "m" | "ft" | "sft";

export const METRES: Record<LengthUnit, number> = { m: 1, ft: 0.3048, sft: 1200 / 3937 };
export const UNIT_SIGN: Record<LengthUnit, string> = { m: "m", ft: "ft", sft: "ft" };

/** A number with so many decimals and a true minus; what rounds to nothing has none. */
export function decimal(value: number, places: number): string {
  const text = value.toFixed(places);
  return Number(text) === 0 ? (0).toFixed(places) : text.replace("-", "−");
}

/** A length in the job's unit without its sign: millimetres for metres, hundredths of a foot for feet. */
export function length(metres: number | null | undefined, unit: LengthUnit, decimals?: number): string {
  if (metres === null || metres === undefined) return "–";
  const places = decimals ?? (unit === "m" ? 3 : 2);
  return decimal(metres / METRES[unit], places);
}

export function signed(metres: number | null | undefined, unit: LengthUnit): string {
  const text = length(metres, unit);
  return metres !== null && metres !== undefined && metres > 0 && Number(text) !== 0 ? `+${text}` : text;
}

export function distance(metres: number | null | undefined, unit: LengthUnit): { value: string; sign: string } {
  if (metres === null || metres === undefined) return { value: "–", sign: "" };
  if (unit !== "m") return { value: (metres / METRES[unit]).toFixed(0), sign: "ft" };
  return metres < 1000 ? { value: metres.toFixed(1), sign: "m" } : { value: (metres / 1000).toFixed(3), sign: "km" };
}

/** A small difference in millimetres with its sign; what rounds to nothing has none. */
export function millimetres(metres: number): string {
  return `${decimal(metres * 1000, 1)} mm`;
}

export function fixed(value: number | null | undefined, decimals: number): string {
  return value === null || value === undefined ? "–" : value.toFixed(decimals);
}

/** A time of day in the job's time zone; the browser's where none is given. */
export function clock(unixSeconds: number, timeZone?: string): string {
  return new Date(unixSeconds * 1000).toLocaleTimeString("en-GB", { timeZone });
}

export function day(unixSeconds: number, timeZone?: string): string {
  return new Date(unixSeconds * 1000).toLocaleDateString("en-GB", { day: "numeric", month: "short", year: "numeric", timeZone });
}

/** Degrees with the sense said by a letter: 53.337412° N. */
export function latitude(degrees: number, decimals = 6): string {
  return `${Math.abs(degrees).toFixed(decimals)}° ${degrees < 0 ? "S" : "N"}`;
}

export function longitude(degrees: number, decimals = 6): string {
  return `${Math.abs(degrees).toFixed(decimals)}° ${degrees < 0 ? "W" : "E"}`;
}

/** Parts per million with their sign. */
export function partsPerMillion(value: number): string {
  const text = decimal(value, 1);
  return value > 0 && Number(text) !== 0 ? `+${text}` : text;
}

/** A number of things: 1 mark, 2 marks. */
export function counted(count: number, word: string): string {
  return `${count} ${word}${count === 1 ? "" : "s"}`;
}
