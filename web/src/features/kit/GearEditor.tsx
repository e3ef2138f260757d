import { useState } from "react";
import { problemOf, type Schemas, sentenceOf } from "../../api/client";
import { useAntex, useSaveGear, useWithdrawGear } from "../../api/queries";
import { base64Of } from "../../lib/base64";
import { FileButton, Note, Select, TextField } from "../../ui/controls";
import { asTyped, FieldForm, type Values } from "../../ui/form";
import { EditorPage } from "../../ui/Page";

export interface OpenGear {
  form: Schemas["GearForm"];
  values: Values;
  replaces: Schemas["GearView"] | null;
}

/** One thing of the kit. */
export function GearEditor({ job, open, onClose }: { job: Schemas["JobView"]; open: OpenGear; onClose: () => void }) {
  const save = useSaveGear();
  const withdraw = useWithdrawGear();
  const [values, setValues] = useState(open.values);
  const [password, setPassword] = useState("");
  const problem = problemOf(save.error);
  const { kind } = open.form;
  const send = () =>
    save.mutate(
      { kind, values, length_unit: job.length_unit, replaces_id: open.replaces?.id ?? null, password: password || null },
      { onSuccess: onClose },
    );
  return (
    <EditorPage
      title={open.replaces ? open.replaces.name : `Add to ${open.form.word.toLowerCase()}`}
      why={`Without a unit: ${job.length_unit_word}.`}
      keep="Keep it"
      problem={save.isError ? sentenceOf(save.error) : null}
      busy={save.isPending || withdraw.isPending}
      onKeep={send}
      onClose={onClose}
      onTakeOut={open.replaces ? () => withdraw.mutate(open.replaces!.id, { onSuccess: onClose }) : undefined}
    >
      <div className="flex flex-col gap-5">
        {kind === "antenna" && <Antex onPick={(data) => setValues({ ...values, ...asTyped(open.form.fields, data) })} />}
        <FieldForm unit={job.length_unit} fields={open.form.fields} values={values} onChange={setValues} problem={problem} columns={2} />
        {kind === "caster" && (
          <TextField
            label="Password"
            name="password"
            type="password"
            value={password}
            onChange={setPassword}
            hint={
              open.replaces?.has_password
                ? "One is kept on this machine and is not shown. Type another to replace it."
                : "Kept in a file of its own on this machine, never shown, exported or logged."
            }
          />
        )}
      </div>
    </EditorPage>
  );
}

/** Phase centres from a calibration file. */
function Antex({ onPick }: { onPick: (data: Values) => void }) {
  const antex = useAntex();
  const [picked, setPicked] = useState("");
  const found = antex.data?.antennas ?? [];
  return (
    <div className="flex flex-col gap-3 rounded border-2 border-line bg-page p-4">
      <div className="flex items-center gap-4">
        <FileButton
          label="ANTEX file"
          accept=".atx,.txt"
          onFile={(file) => void base64Of(file).then((content_base64) => antex.mutate({ name: file.name, content_base64 }))}
        >
          Phase centres from an ANTEX file
        </FileButton>
        {antex.data && (
          <p className="text-faded">
            {found.length} antennas found{antex.data.satellites > 0 && `, ${antex.data.satellites} of satellites passed over`}
          </p>
        )}
      </div>
      {antex.isError && <Note tone="flag">{sentenceOf(antex.error)}</Note>}
      {antex.data?.refused.map((sentence) => (
        <Note key={sentence} tone="flag">
          {sentence}
        </Note>
      ))}
      {found.length > 0 && (
        <Select
          label="Antenna of the file"
          value={picked}
          options={found.map((item, at) => ({ value: String(at), label: String(item.name), detail: String(item.serial ?? "") }))}
          onChange={(at) => {
            setPicked(at);
            const item = found[Number(at)];
            if (item) onPick({ name: item.name, serial: item.serial, phase_centres: item.phase_centres, calibration: item.calibration, features: item.features });
          }}
        />
      )}
    </div>
  );
}
