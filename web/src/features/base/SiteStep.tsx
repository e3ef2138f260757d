import { TriangleAlert } from "lucide-react";
import { sentenceOf, type Schemas } from "../../api/client";
import { useAddPhoto, useTickSetUp } from "../../api/queries";
import { clock } from "../../lib/format";
import { FileButton, Note, PICTURES } from "../../ui/controls";
import { TickRow } from "../../ui/ticks";

/** Questions of one group, ticked off as they are looked at. */
export function Asked(props: { job: Schemas["JobView"]; view: Schemas["BaseView"]; keys: (question: Schemas["QuestionView"]) => boolean }) {
  const tick = useTickSetUp(props.job.id);
  return (
    <div>
      {props.view.questions.filter(props.keys).map((item) => (
        <TickRow
          key={item.key}
          what={item.what}
          why={item.why}
          done={item.done}
          at={item.at_s === null ? "" : clock(item.at_s, props.job.time_zone).slice(0, 5)}
          onTick={() => tick.mutate({ key: item.key, done: !item.done })}
        />
      ))}
      {tick.isError && <Note tone="flag">{sentenceOf(tick.error)}</Note>}
    </div>
  );
}

/** Before the tripod stands: what matters of the place, the cautions, a photo. */
export function SiteStep({ job, view }: { job: Schemas["JobView"]; view: Schemas["BaseView"] }) {
  const photo = useAddPhoto(job.id);
  return (
    <>
      <Asked job={job} view={view} keys={(question) => question.group === "site"} />
      <ul className="grid grid-cols-1 sm:grid-cols-2 gap-x-5 gap-y-1">
        {view.cautions.map((caution) => (
          <li key={caution} className="flex items-start gap-2 text-base leading-5">
            <TriangleAlert aria-hidden size={18} className="shrink-0 text-flag" /> {caution}
          </li>
        ))}
      </ul>
      <div className="flex flex-wrap items-center gap-3">
        <FileButton label="Photo of the set-up" accept={PICTURES} disabled={photo.isPending} onFile={(file) => photo.mutate(file)}>
          Attach a photo
        </FileButton>
        <Photos job={job} photos={view.photos} />
      </div>
      {photo.isError && <Note tone="flag">{sentenceOf(photo.error)}</Note>}
    </>
  );
}

export function Photos({ job, photos }: { job: Schemas["JobView"]; photos: Schemas["PhotoView"][] }) {
  return photos.map((item) => (
    <a key={item.id} href={`/api/jobs/${job.id}/photos/${item.id}`} target="_blank" rel="noreferrer">
      <img src={`/api/jobs/${job.id}/photos/${item.id}`} alt={item.name} className="h-20 rounded border-2 border-line" />
    </a>
  ));
}
