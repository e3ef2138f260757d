import { expect, test } from "vitest";
import { distance, length, signed } from "./format";

test("a length shows the job's unit and a true minus sign", () => {
  expect(length(1.5324, "m")).toBe("1.532");
  expect(length(-0.1, "m")).toBe("−0.100");
  // 2 m = 6.5617 ft in both feet to four decimals (NIST SP 811).
  expect(length(2, "ft", 4)).toBe("6.5617");
  expect(length(2, "sft", 4)).toBe("6.5617");
});

test("what rounds to nothing has no sign", () => {
  expect(length(-0.0001, "m")).toBe("0.000");
  expect(signed(0.0001, "m")).toBe("0.000");
  expect(signed(0.012, "m")).toBe("+0.012");
});

test("an unknown value is a dash, never a zero", () => {
  expect(length(null, "m")).toBe("–");
  expect(distance(undefined, "m").value).toBe("–");
});

test("a distance changes to kilometres where people do", () => {
  expect(distance(87.24, "m")).toEqual({ value: "87.2", sign: "m" });
  expect(distance(1284.2, "m")).toEqual({ value: "1.284", sign: "km" });
});
