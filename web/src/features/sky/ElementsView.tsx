import { sentenceOf } from "../../api/client";
import { useLoadElements, useTakeOutElements } from "../../api/sky";
import { Button, FileButton, Note } from "../../ui/controls";
import { FindingList } from "../../ui/findings";
import { Page } from "../../ui/Page";
import type { SkyProps } from "./props";

/** Where the orbits come from: files that were loaded, and what the base's own stream brought. */
export function ElementsView({ job, tabs, shown }: SkyProps) {
  const load = useLoadElements(job.id);
  const takeOut = useTakeOutElements(job.id);
  const { elements } = shown;
  return (
    <Page
      title="Elements"
      why="Where the satellites are comes from files of the day, or from what the base itself sends."
      tabs={tabs}
      aside={(load.isError || takeOut.isError) && <p role="alert" className="font-semibold text-flag">{sentenceOf(load.error ?? takeOut.error)}</p>}
      action={
        <FileButton kind="primary" large label="File of elements" accept="" disabled={load.isPending} onFile={(file) => load.mutate(file)}>
          Load elements
        </FileButton>
      }
    >
      <div className="flex max-w-4xl flex-col gap-4">
        <p className="text-4xl leading-tight font-bold small:text-2xl">
          {elements.satellites} satellites, {elements.words}
        </p>
        {load.data && <Note tone="checked">{load.data.words}</Note>}
        <ul className="flex flex-col gap-2">
          {elements.files.map((file) => (
            <li key={file.id} className="flex items-center justify-between gap-4 rounded border-2 border-line bg-page px-4 py-2">
              <span className="min-w-0">
                <b className="block truncate text-xl">{file.name}</b>
                <span className="text-faded">{file.words}</span>
              </span>
              <Button disabled={takeOut.isPending} onClick={() => takeOut.mutate(file.id)}>
                Take out
              </Button>
            </li>
          ))}
          <li className="rounded border-2 border-line bg-page px-4 py-2">
            <b className="text-xl">{elements.heard}</b> messages with elements heard from the base itself in the last three days.
          </li>
        </ul>
        <p className="text-faded">
          Navigation files (RINEX 2 to 4), precise orbits (SP3), mean elements (TLE, OMM), packed by gzip or not. The best of them is taken for each
          satellite at each hour. They stay in the job, and nothing is fetched.
        </p>
        <FindingList findings={shown.findings.filter((finding) => finding.code.startsWith("elements") || finding.code === "sky-nominal")} />
      </div>
    </Page>
  );
}
