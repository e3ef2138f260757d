import type { Schemas } from "../../api/client";
import { length, UNIT_SIGN } from "../../lib/format";
import { BudgetBar } from "../../plots/BudgetBar";

/** A budget: for which place and against what, its two numbers at 95 %, and who contributes. */
export function BudgetNumbers({ shown, unit }: { shown: Schemas["BudgetShown"]; unit: Schemas["JobView"]["length_unit"] }) {
  const shares = (side: "share_horizontal" | "share_vertical") => shown.terms.map((term) => ({ name: term.name, words: term.words, share: term[side] }));
  return (
    <>
      <p className="text-faded">
        A point {shown.where}, {shown.against}, 95{"\u00a0"}%
      </p>
      <div className="grid grid-cols-2 gap-4">
        <p className="min-w-0 text-5xl font-bold whitespace-nowrap small:text-4xl" data-testid="budget-horizontal">
          <AtMost metres={shown.horizontal_95_m} unit={unit} />
          <span className="block text-lg leading-5">horizontal</span>
        </p>
        <p className="min-w-0 text-5xl font-bold whitespace-nowrap small:text-4xl" data-testid="budget-vertical">
          <AtMost metres={shown.vertical_95_m} unit={unit} />
          <span className="block text-lg leading-5">in height</span>
        </p>
      </div>
      <BudgetBar label="horizontal" terms={shares("share_horizontal")} />
      <BudgetBar label="in height" terms={shares("share_vertical")} />
    </>
  );
}

function AtMost({ metres, unit }: { metres: number | null; unit: Schemas["JobView"]["length_unit"] }) {
  if (metres === null) return <span className="text-2xl">cannot be said</span>;
  return (
    <>
      {length(metres, unit)} <span className="text-lg">{UNIT_SIGN[unit]}</span>
    </>
  );
}
