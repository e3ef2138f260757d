import { useLayoutEffect, useRef, type ComponentProps } from "react";

/** A table that is a list of cards on a phone: each cell then carries the name of its column (tokens.css). */
export function CardTable({ className = "", ...rest }: ComponentProps<"table">) {
  const table = useRef<HTMLTableElement>(null);
  // After every drawing: rows come and go with what is asked.
  useLayoutEffect(() => {
    const heads: string[] = [];
    for (const head of table.current?.tHead?.rows[0]?.cells ?? []) {
      for (let n = 0; n < head.colSpan; n++) heads.push(head.textContent?.trim() ?? "");
    }
    for (const body of table.current?.tBodies ?? []) {
      for (const row of body.rows) {
        let at = 0;
        for (const cell of row.cells) {
          // The first one is the card's title.
          cell.dataset.label = at === 0 || cell.colSpan > 1 ? "" : (heads[at] ?? "");
          at += cell.colSpan;
        }
      }
    }
  });
  return <table ref={table} className={`cards ${className}`} {...rest} />;
}
