import { Download, FileText, X } from "lucide-react";
import { useState } from "react";
import { useReports, useTakeHome } from "../../api/book";
import { sentenceOf } from "../../api/client";
import { Button, Note, Select } from "../../ui/controls";
import { Page } from "../../ui/Page";
import type { BookViewProps } from "./BookPage";

/** Points in open formats, derived at that moment; a CSV has the columns, the order and the unit that are wished. */
export function TakeHomeView({ job, tabs }: BookViewProps) {
  const view = useTakeHome(job.id);
  const reports = useReports(job.id).data ?? [];
  const [columns, setColumns] = useState<string[] | null>(null);
  const [unit, setUnit] = useState<string>("");
  if (view.isError) return <Note tone="flag">{sentenceOf(view.error)}</Note>;
  if (!view.data) return <p className="p-6">Reading what can be taken home.</p>;
  const { data } = view;
  const used = columns ?? data.usual;
  const wordsOf = (key: string) => data.columns.find((item) => item.key === key)?.words ?? key;
  const asked = new URLSearchParams({ ...(columns ? { columns: columns.join(",") } : {}), ...(unit ? { unit } : {}) }).toString();
  const csv = data.formats.find((item) => item.format === "csv");
  return (
    <Page
      title="Take home"
      why="Points as they are now, with 95 % where the format has a place for it."
      tabs={tabs}
      action={
        csv && (
          <a href={`${csv.path}${asked ? `?${asked}` : ""}`} download className="inline-flex h-record items-center gap-2 rounded border-2 border-act bg-act px-8 text-2xl font-bold text-onact">
            <Download aria-hidden /> Points as CSV
          </a>
        )
      }
    >
      <div className="grid grid-cols-[minmax(0,1fr)_20rem] gap-6">
        <section className="flex flex-col gap-3">
          <h2 className="text-xl font-bold">The CSV's columns, in order</h2>
          <div className="flex flex-wrap gap-2">
            <Button onClick={() => setColumns(null)}>The usual ones</Button>
            {data.orders.map((order) => (
              <Button key={order.words} onClick={() => setColumns(order.columns)}>
                {order.words}
              </Button>
            ))}
          </div>
          <ol className="flex flex-wrap gap-2" aria-label="Columns">
            {used.map((key) => (
              <li key={key}>
                <button
                  type="button"
                  aria-label={`Leave ${wordsOf(key)} out`}
                  className="flex min-h-touch items-center gap-2 rounded border-2 border-ink bg-page px-3"
                  onClick={() => setColumns(used.filter((item) => item !== key))}
                >
                  {wordsOf(key)} <X aria-hidden size={16} />
                </button>
              </li>
            ))}
          </ol>
          <Select
            label="One more column"
            value=""
            options={[{ value: "", label: "Choose" }, ...data.columns.filter((item) => !used.includes(item.key)).map((item) => ({ value: item.key, label: item.words }))]}
            onChange={(key) => key && setColumns([...used, key])}
          />
          <div className="w-64">
            <Select
              label="Unit of lengths"
              value={unit}
              options={[{ value: "", label: "as the job has it" }, ...data.units.map((item) => ({ value: item, label: { m: "metre", ft: "foot", sft: "US survey foot" }[item] }))]}
              onChange={setUnit}
            />
          </div>
        </section>
        <section className="flex flex-col gap-2">
          <h2 className="text-xl font-bold">Reports</h2>
          {reports.map((item) => (
            <a
              key={item.kind}
              href={item.path}
              target="_blank"
              rel="noreferrer"
              className="flex min-h-touch items-center gap-2 rounded border-2 border-line bg-page px-4 font-semibold"
            >
              <FileText aria-hidden size={18} /> {item.title}
            </a>
          ))}
          <h2 className="mt-3 text-xl font-bold">Other formats</h2>
          {data.formats
            .filter((item) => item.format !== "csv")
            .map((item) => (
              <a
                key={item.format}
                href={`${item.path}${unit ? `?unit=${unit}` : ""}`}
                download
                className="flex min-h-touch items-center gap-2 rounded border-2 border-line bg-page px-4 font-semibold"
              >
                <Download aria-hidden size={18} /> {item.words}
              </a>
            ))}
          <p className="text-base text-faded">Raw streams and RINEX of the base: on the page Base, its logs. The control list: on the page Job.</p>
        </section>
      </div>
    </Page>
  );
}
