import { useState } from "react";
import type { Schemas } from "../../../api/client";
import { useOperations } from "../../../api/queries";
import { Note } from "../../../ui/controls";
import { OperationChooser, type OperationRequest } from "./OperationChooser";
import type { PartProps } from "./parts";

/** How positions come into the job's datum: as they are where GNSS realises it, else by an operation chosen by name. */
export function OperationFields({ job, changes, set, problem }: PartProps) {
  const [source, setSource] = useState("");
  const operations = useOperations(job.id, source);
  const wish = changes.operation as OperationRequest;
  return (
    <>
      {/* Of a classical datum the finding above says what is missing. */}
      {job.operation && wish === undefined ? (
        <Note>
          Positions go through <b>{job.operation}</b>.
        </Note>
      ) : (
        job.datum_kind === "gnss" && (
          <Note>GNSS realises the job&apos;s datum: positions are projected within it, and nothing is shifted unless you choose an operation here.</Note>
        )
      )}
      <OperationChooser
        source={source}
        onSource={setSource}
        operations={operations.data}
        wish={wish}
        onRequest={(next) => set({ operation: next } as Schemas["JobChanges"])}
        inForce={job.operation}
        isGnss={job.datum_kind === "gnss"}
        mayBeGnss={job.may_be_gnss}
        problem={problem}
      />
    </>
  );
}
