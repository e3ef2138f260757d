import { X } from "lucide-react";
import { useSteps } from "../api/queries";
import { FindingList } from "../ui/findings";

/** What is open in the job, the worst first. */
export function Drawer({ jobId, onClose }: { jobId: string; onClose: () => void }) {
  const findings = useSteps(jobId).data?.findings ?? [];
  return (
    <aside aria-label="Findings" className="absolute top-0 right-0 bottom-24 z-20 flex w-[26rem] flex-col overflow-auto border-b-2 border-l-2 border-ink bg-page p-4">
      <div className="mb-2 flex items-center justify-between">
        <h2 className="text-2xl font-bold">Findings</h2>
        <button type="button" aria-label="Close" className="flex size-12 items-center justify-center" onClick={onClose}>
          <X aria-hidden />
        </button>
      </div>
      {findings.length ? (
        <FindingList findings={findings} />
      ) : (
        <p className="text-faded">Nothing is contradicted so far. What is not checked is not thereby right.</p>
      )}
    </aside>
  );
}
