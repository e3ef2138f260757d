import { X } from "lucide-react";
import { useChain } from "../api/chain";
import { sentenceOf, type Schemas } from "../api/client";
import { AskedFindings } from "../features/chain/AskedFindings";
import { Note } from "../ui/controls";

/** What is open in the job, the worst first, over any page. */
export function Drawer({ job, onClose }: { job: Schemas["JobView"]; onClose: () => void }) {
  const chain = useChain(job.id);
  return (
    <aside aria-label="Findings" className="absolute top-0 right-0 bottom-24 z-20 flex w-[26rem] hand:bottom-0 hand:z-30 hand:w-full short:fixed short:top-0 flex-col overflow-auto border-b-2 border-l-2 border-ink bg-page p-4">
      <div className="mb-2 flex items-center justify-between">
        <h2 className="text-2xl font-bold">Findings</h2>
        <button type="button" aria-label="Close" className="flex size-12 items-center justify-center" onClick={onClose}>
          <X aria-hidden />
        </button>
      </div>
      {chain.isError && <Note tone="flag">{sentenceOf(chain.error)}</Note>}
      {chain.data && <AskedFindings job={job} chain={chain.data} />}
    </aside>
  );
}
