/** A budget as a bar that fills up from left to right, term by term: the share of the variance, so that all of it is one whole. */
export interface BarTerm {
  name: string;
  words: string;
  share: number;
}

const TONES = ["bg-act", "bg-grain", "bg-checked", "bg-faded", "bg-lath", "bg-flag"];
const TOLD_FROM = 0.02;

export function BudgetBar(props: { label: string; terms: BarTerm[] }) {
  const shown = props.terms.map((term, n) => ({ ...term, tone: TONES[n % TONES.length] })).filter((term) => term.share >= TOLD_FROM);
  return (
    <figure className="mt-1">
      <div className="flex h-6 gap-0.5 overflow-hidden rounded" aria-hidden="true">
        {shown.map((term) => (
          <div key={term.name} className={term.tone} style={{ width: `${100 * term.share}%` }} title={term.words} />
        ))}
      </div>
      <figcaption className="flex flex-wrap gap-x-4 text-base leading-5">
        <span className="text-faded">{props.label}:</span>
        {[...shown]
          .sort((one, other) => other.share - one.share)
          .map((term) => (
            <span key={term.name} className="inline-flex items-center gap-1 whitespace-nowrap">
              <span className={`inline-block size-3 ${term.tone}`} aria-hidden="true" />
              {term.words} {Math.round(100 * term.share)} %
            </span>
          ))}
      </figcaption>
    </figure>
  );
}
