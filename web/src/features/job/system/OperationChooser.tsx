import { sentenceOf, type Problem, type Schemas } from "../../../api/client";
import { useAddDatumGrid, useSystemForms } from "../../../api/queries";
import { FileButton, Note, Select } from "../../../ui/controls";
import { FieldForm, type Values } from "../../../ui/form";

/** What is chosen: nothing touched, none, an operation of the dataset, one's own parameters, or the word that GNSS realises the datum. */
export type OperationRequest = Values | null | undefined;

interface Props {
  /** The frame of positions from which operations are listed; empty before one is picked. */
  source: string;
  onSource: (source: string) => void;
  operations: Schemas["Operations"] | null | undefined;
  wish: OperationRequest;
  onRequest: (wish: OperationRequest) => void;
  /** The operation in force, by name. */
  inForce: string | null;
  /** Whether positions are in the system's datum as they come. */
  isGnss: boolean;
  mayBeGnss: boolean;
  problem?: Problem | null | undefined;
}

/** How positions come into the system's datum. */
export function OperationChooser(props: Props) {
  const { source, onSource, operations, wish, onRequest, inForce } = props;
  const forms = useSystemForms();
  const shift = wish?.shift as Values | undefined;
  const first = inForce ? "as chosen before" : props.isGnss ? "the job's own datum" : "choose the frame of the receivers";
  return (
    <>
      <div className="grid grid-cols-1 sm:grid-cols-2 items-start gap-5">
        <Select
          label="Positions come in"
          value={shift ? "shift" : wish?.datum_is ? "gnss" : wish === null && inForce ? "none" : source}
          options={[
            { value: "", label: first },
            ...(inForce ? [{ value: "none", label: "the job's own datum, no operation" }] : []),
            ...(props.mayBeGnss ? [{ value: "gnss", label: "the system's own datum", detail: "GNSS realises it" }] : []),
            ...(forms.data?.position_frames ?? []).map((frame) => ({ value: frame, label: frame })),
            { value: "shift", label: "WGS 84, by my own parameters" },
          ]}
          onChange={(next) => {
            onSource(["shift", "none", "gnss"].includes(next) ? "" : next);
            if (next === "shift") onRequest({ shift: { convention: "position-vector" } });
            else if (next === "gnss") onRequest({ datum_is: "gnss" });
            else if (next === "none") onRequest(null);
            else onRequest(undefined);
          }}
        />
        {source && (
          <Select
            label="Operation"
            value={String(wish?.name ?? "")}
            options={(operations?.operations ?? []).map((item) => ({
              value: item.name,
              label: item.name,
              detail: item.accuracy_m === null ? "accuracy unknown" : `good to ${item.accuracy_m} m`,
            }))}
            onChange={(name) => onRequest({ source, name })}
            hint={operations?.hint}
          />
        )}
      </div>
      {source && operations && <Lacking found={operations.without_grid} />}
      {shift && (
        <>
          <p className="text-faded">
            From the job&apos;s datum to WGS 84: metres, arc-seconds, ppm. Three parameters: leave rotations and scale empty. Rotations of the
            position vector and of the coordinate frame have opposite signs.
          </p>
          <FieldForm
            unit="m"
            fields={forms.data?.forms.shift ?? []}
            values={shift}
            onChange={(values) => onRequest({ shift: values })}
            problem={props.problem}
            columns={3}
          />
        </>
      )}
    </>
  );
}

/** Operations that need a grid file which is not here, and a way to bring it in. */
function Lacking({ found }: { found: Schemas["OperationLacking"][] }) {
  const add = useAddDatumGrid();
  if (!found.length) return null;
  return (
    <section aria-label="Operations whose grid is not here" className="flex flex-col gap-2">
      <p className="text-faded">These need a grid file, as the national agency publishes it. It is kept in the data folder and is not part of a package.</p>
      {found.map((item) => (
        <div key={item.name} className="flex flex-wrap items-center gap-3 rounded border-2 border-line bg-page p-2">
          <span className="min-w-0 flex-1 basis-60">
            {item.name}
            <span className="ml-2 text-faded">{item.accuracy_m === null ? "accuracy unknown" : `good to ${item.accuracy_m} m`}</span>
            <span className="block text-base break-all text-faded">{item.grids.join(", ")}</span>
          </span>
          {item.grids.map((grid) => (
            <FileButton key={grid} label={`The file ${grid}`} accept=".tif,.gsb,.gtx,.gvb" disabled={add.isPending} onFile={(file) => add.mutate({ grid, file })}>
              {item.grids.length > 1 ? `Bring in number ${item.grids.indexOf(grid) + 1}` : "Bring it in"}
            </FileButton>
          ))}
        </div>
      ))}
      {add.isError && <Note tone="flag">{sentenceOf(add.error)}</Note>}
    </section>
  );
}
