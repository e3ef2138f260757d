import { Download, FileText } from "lucide-react";
import { sentenceOf } from "../api/client";
import type { Work } from "../api/work";
import { Button, Note, Progress } from "./controls";

/** How far a work is, with the way to stop it; once it is over, what came of it, and its file. */
export function WorkBar({ work }: { work: Work }) {
  const { view } = work;
  if (work.problem) return <Note tone="flag">{sentenceOf(work.problem)}</Note>;
  if (!view) return null;
  if (view.state === "running")
    return (
      <div className="flex items-center gap-4" role="status">
        <div className="min-w-0 flex-1">
          <Progress label={view.title} value={Math.round(100 * view.part)} most={100} />
        </div>
        <Button onClick={work.stop}>Stop</Button>
      </div>
    );
  return (
    <Note tone={view.state === "failed" ? "flag" : view.state === "done" ? "checked" : "plain"}>
      <span role="status">{view.words}</span>
      {view.fingerprint && (
        <span className="mt-1 block">
          Fingerprint <span className="block text-3xl font-bold whitespace-nowrap tabular-nums small:text-2xl">{view.fingerprint}</span>
        </span>
      )}
      {view.path && (
        <a href={view.path} {...(view.shown ? { target: "_blank", rel: "noreferrer" } : { download: true })} className="mt-1 flex min-h-touch items-center gap-2 font-semibold underline">
          {view.shown ? <FileText aria-hidden size={18} /> : <Download aria-hidden size={18} />} {view.shown ? "Open it" : "Save it again"}
        </a>
      )}
    </Note>
  );
}

/** Save what a work made; what a browser shows is opened by a press: a page that opens by itself is kept out. */
export function saveMade(view: { path: string; shown: boolean }) {
  if (view.path && !view.shown) window.location.assign(view.path);
}
