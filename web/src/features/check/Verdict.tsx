import type { Schemas } from "../../api/client";
import { length, signed, UNIT_SIGN } from "../../lib/format";
import { Target } from "../../plots/Target";
import { Big } from "../../ui/Big";
import { FindingNote } from "../../ui/findings";
import { StateMark } from "../../ui/StateMark";

const WORD_TONE = { go: "text-checked", "go with care": "", stop: "text-flag" };

/** What a check says, and whether it still holds. */
export function Verdict({ check }: { check: Schemas["Check"] }) {
  const first = check.findings[0];
  if (!first) return null;
  return (
    <div data-testid="verdict" role="status">
      {check.base_words && <p className="mb-2 rounded border-2 border-line bg-page p-2 font-semibold">{check.base_words}</p>}
      <FindingNote finding={first} {...(check.agrees ? { tone: "checked" as const } : {})} />
      {check.stale && (
        <p className="mt-2 flex items-center gap-2 font-semibold">
          <StateMark state="out of date" /> Recomputed: something this check rests on was changed after it. Measure the mark again.
        </p>
      )}
    </div>
  );
}

/** The difference on its target and in three large numbers, with earlier checks of the mark behind it. */
export function Difference({ job, check, all }: { job: Schemas["JobView"]; check: Schemas["Check"]; all: Schemas["Check"][] }) {
  const unit = job.length_unit;
  const sign = UNIT_SIGN[unit];
  const shotOf = (item: Schemas["Check"]) => ({ id: item.id, eastM: item.east_m, northM: item.north_m, upM: item.up_m });
  const earlier = all.filter((item) => item.mark_id === check.mark_id && item.occupation_id === check.occupation_id && item.id !== check.id).map(shotOf);
  return (
    <section className="flex flex-col-reverse gap-4 rounded lg:grid lg:grid-cols-[minmax(0,1fr)_16rem] border-2 border-line bg-page p-3" aria-label={`Check on ${check.mark_name}`}>
      <div className="h-48 hand:h-72">
        <Target
          words={inWords(check, unit)}
          shot={shotOf(check)}
          earlier={earlier}
          horizontalAgrees={check.horizontal_agrees}
          verticalAgrees={check.vertical_agrees}
          toleranceM={check.tolerance_horizontal_m}
          toleranceUpM={check.tolerance_vertical_m}
          expected={check.expected_ellipse}
          write={(metres) => `${length(metres, unit)} ${sign}`}
        />
      </div>
      <div>
        <h2 className="flex items-baseline justify-between text-2xl font-bold">
          {check.mark_name} <span className={`uppercase ${WORD_TONE[check.verdict.word]}`}>{check.verdict.word}</span>
        </h2>
        <div className="hidden hand:block">
          <Big label="horizontal" value={length(check.horizontal_m, unit)} sign={sign} bad={!check.horizontal_agrees} />
          {check.up_m !== null && <Big label="up" value={signed(check.up_m, unit)} sign={sign} bad={!check.vertical_agrees} />}
        </div>
        <Part name="north" value={signed(check.north_m, unit)} sign={sign} bad={!check.horizontal_agrees} />
        <Part name="east" value={signed(check.east_m, unit)} sign={sign} bad={!check.horizontal_agrees} />
        <div className={check.up_m === null ? "" : "hand:hidden"}>
          <Part name="up" value={check.up_m === null ? "not compared" : signed(check.up_m, unit)} sign={sign} bad={!check.vertical_agrees} />
        </div>
        <p className="mt-2 text-base leading-5 text-faded">
          ring: tolerance {length(check.tolerance_horizontal_m, unit)}, bar: {length(check.tolerance_vertical_m, unit)} {sign}; dashes: expected at 95 %,{" "}
          {length(check.expected_horizontal_95_m, unit)} and {length(check.expected_vertical_95_m, unit)} {sign}. {check.epochs} epochs.
        </p>
      </div>
    </section>
  );
}

/** The picture of the target for those who cannot see it. */
function inWords(check: Schemas["Check"], unit: Schemas["JobView"]["length_unit"]): string {
  const of = (metres: number | null) => `${length(metres, unit)} ${UNIT_SIGN[unit]}`;
  const up = check.up_m === null ? "height not compared" : `up ${signed(check.up_m, unit)} ${UNIT_SIGN[unit]}`;
  return `Difference on ${check.mark_name}: north ${signed(check.north_m, unit)}, east ${signed(check.east_m, unit)}, ${up}; tolerance ${of(check.tolerance_horizontal_m)} and ${of(check.tolerance_vertical_m)}; expected at 95 % ${of(check.expected_horizontal_95_m)} and ${of(check.expected_vertical_95_m)}`;
}

function Part({ name, value, sign, bad }: { name: string; value: string; sign: string; bad: boolean }) {
  return (
    <p className={`flex items-baseline justify-between border-b border-line ${bad ? "text-flag" : ""}`}>
      <span className="text-base">{name}</span>
      <span className="text-3xl font-bold whitespace-nowrap" data-testid={`difference-${name}`}>
        {value}
        {value !== "not compared" && <span className="ml-1 text-lg">{sign}</span>}
      </span>
    </p>
  );
}
