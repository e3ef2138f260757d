/** The steps in working order; the number is their key and their place on the stake. */
export const STEPS = [
  { number: 0, step: "chain", name: "Chain" },
  { number: 1, step: "job", name: "Job" },
  { number: 2, step: "kit", name: "Kit" },
  { number: 3, step: "sky", name: "Sky" },
  { number: 4, step: "link", name: "Link" },
  { number: 5, step: "base", name: "Base" },
  { number: 6, step: "watch", name: "Watch" },
  { number: 7, step: "check", name: "Check" },
  { number: 8, step: "fit", name: "Fit" },
  { number: 9, step: "book", name: "Book" },
] as const;
