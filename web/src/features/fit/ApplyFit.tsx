import { Problem, sentenceOf, type Schemas } from "../../api/client";
import { useApplyFit } from "../../api/fit";
import { Button } from "../../ui/controls";

/** Applies the fit as it is shown.  Where it disagrees it says so first, and only that can be accepted. */
export function ApplyFit({ job, fit, words }: { job: Schemas["JobView"]; fit: Schemas["FitView"]; words: string }) {
  const apply = useApplyFit(job.id);
  const warned = apply.error instanceof Problem && apply.error.field === "accepted";
  return (
    <div className="flex items-center gap-4">
      {apply.isError && <p className="max-w-96 font-semibold text-flag">{sentenceOf(apply.error)}</p>}
      <Button
        kind={warned ? "danger" : "primary"}
        large
        disabled={apply.isPending}
        onClick={() => apply.mutate({ chosen_id: fit.chosen_id, replaces_id: fit.applied?.id ?? null, accepted: warned })}
      >
        {warned ? "Apply it anyway" : words}
      </Button>
    </div>
  );
}
