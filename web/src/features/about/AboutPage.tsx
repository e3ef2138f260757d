import { Link } from "react-router";
import { sentenceOf } from "../../api/client";
import { useAbout } from "../../api/hand";
import { CardTable } from "../../ui/CardTable";
import { Note } from "../../ui/controls";

/** The program's version, and the licences of everything that is shipped with it. */
export function AboutPage() {
  const about = useAbout();
  return (
    <main className="mx-auto flex min-h-dvh max-w-5xl flex-col gap-4 px-6 py-6 text-lg small:px-4">
      <Link to="/" className="flex min-h-touch items-center self-start font-semibold underline">
        All jobs
      </Link>
      <h1 className="text-3xl font-bold">Open Stake {about.data?.version}</h1>
      <p>Open Stake gives evidence, not a certificate. Local rules and the licensed surveyor decide.</p>
      {about.isError && <Note tone="flag">{sentenceOf(about.error)}</Note>}
      {about.data && (
        <section aria-label="Licences">
          <h2 className="mb-2 text-2xl font-bold">Shipped with it</h2>
          <CardTable className="w-full border-collapse bg-page">
            <thead>
              <tr className="border-b-2 border-ink text-left">
                <th className="py-2 pl-3">Name</th>
                <th>Version</th>
                <th>What</th>
                <th className="pr-3">Licence</th>
              </tr>
            </thead>
            <tbody>
              {about.data.shipped.map((item) => (
                <tr key={`${item.part} ${item.name} ${item.version}`} className="h-10 border-b border-line">
                  <td className="pl-3 font-semibold break-all">{item.name}</td>
                  <td>{item.version}</td>
                  <td>{item.part}</td>
                  <td className="pr-3">{item.licence}</td>
                </tr>
              ))}
            </tbody>
          </CardTable>
        </section>
      )}
    </main>
  );
}
