import { Download, Plus } from "lucide-react";
import { useState } from "react";
import { sentenceOf, type Schemas } from "../../api/client";
import { useChooseProfile, useImportProfile, useNewProfile, useProfileForm, useProfiles } from "../../api/queries";
import { base64Of } from "../../lib/base64";
import { Button, FileButton, Note } from "../../ui/controls";
import { asTyped, wordOf, type Values } from "../../ui/form";
import { Page } from "../../ui/Page";
import type { ViewProps } from "../../ui/view";
import { ProfileEditor, type Edited } from "./ProfileEditor";

type Profile = Schemas["ProfileView"];

/** Named settings of both ends: made from the kit, reused daily, copied to a colleague as a file. */
export function ProfilesView({ job, tabs }: ViewProps) {
  const profiles = useProfiles(job.id);
  const form = useProfileForm();
  const make = useNewProfile();
  const take = useImportProfile();
  const choose = useChooseProfile(job.id);
  const [edited, setEdited] = useState<Edited | null>(null);
  const fields = form.data?.fields ?? [];
  const role = fields.find((field) => field.name === "role");
  const open = (data: Values, replaces: Profile | null) => setEdited({ values: asTyped(fields, data), replaces });

  if (edited) return <ProfileEditor job={job} edited={edited} onClose={() => setEdited(null)} />;
  return (
    <Page
      title="Profiles"
      why="How each end is set. The job uses those that are ticked."
      tabs={tabs}
      aside={
        <NewProfile take={take} choose={choose} make={make} />
      }
      action={
        <div className="flex gap-3 hand:gap-2">
          {role?.options.map((option) => (
            <Button key={option} className="h-record! hand:min-w-0 hand:flex-1 hand:px-1!" onClick={() => make.mutate(option, { onSuccess: (values) => open(values, null) })}>
              <Plus aria-hidden size={18} /> {wordOf(role, option)}
            </Button>
          ))}
        </div>
      }
    >
      {profiles.isError && <Note tone="flag">{sentenceOf(profiles.error)}</Note>}
      {profiles.data?.length === 0 && <Note>No profiles yet. Start one for the base and one for the rover below.</Note>}
      <ul className="flex flex-col gap-3">
        {profiles.data?.map((profile) => (
          <ProfileLine
            key={profile.id}
            profile={profile}
            role={role ? wordOf(role, profile.role) : profile.role}
            onChoose={() => choose.mutate({ line_id: profile.line_id, chosen: !profile.chosen })}
            onEdit={() => open(profile.data, profile)}
            onCopy={() => open({ ...profile.data, name: `${profile.name} (2)` }, null)}
          />
        ))}
      </ul>
    </Page>
  );
}

/** A profile made new, or read from a file. */
function NewProfile(props: {
  take: ReturnType<typeof useImportProfile>;
  choose: ReturnType<typeof useChooseProfile>;
  make: ReturnType<typeof useNewProfile>;
}) {
  const { take, choose, make } = props;
  return (
    <div className="flex items-center gap-3">
      <FileButton
        label="Profile file"
        accept=".json,application/json"
        onFile={(file) => void base64Of(file).then((content_base64) => take.mutate({ name: file.name, content_base64 }))}
      >
        Import a profile
      </FileButton>
      {(take.isError || choose.isError || make.isError) && (
        <p className="font-semibold text-flag">{sentenceOf(take.error ?? choose.error ?? make.error)}</p>
      )}
      {take.data && !take.isError && (
        <p className="text-faded">
          {take.data.name} is now version {take.data.version}.
        </p>
      )}
    </div>
  );
}

function ProfileLine(props: { profile: Profile; role: string; onChoose: () => void; onEdit: () => void; onCopy: () => void }) {
  const { profile } = props;
  return (
    <li className={`flex items-center gap-4 rounded hand:flex-wrap border-2 bg-page px-4 py-3 ${profile.chosen ? "border-checked" : "border-line"}`}>
      <button
        type="button"
        role="checkbox"
        aria-checked={profile.chosen}
        aria-label={`Use ${profile.name} in this job`}
        onClick={props.onChoose}
        className={`flex size-12 shrink-0 items-center justify-center rounded border-2 text-2xl font-bold ${profile.chosen ? "border-checked bg-checkedwash text-checked" : "border-line"}`}
      >
        {profile.chosen && "✓"}
      </button>
      <span className="min-w-0 flex-1 small:min-w-56">
        <span className="block text-2xl leading-7 font-bold">{profile.name}</span>
        <span className="block">{summary(profile)}</span>
        <span className="block text-base text-faded">
          {props.role}, version {profile.version}
          {[profile.data.receiver, profile.data.antenna].filter(Boolean).map((part) => `, ${String(part)}`)}
        </span>
      </span>
      <span className="flex shrink-0 gap-2">
        <Button onClick={props.onEdit}>Edit</Button>
        <Button onClick={props.onCopy}>Copy</Button>
        <a
          href={`/api/profiles/${profile.id}.json`}
          download
          aria-label={`Save ${profile.name} as a file`}
          className="inline-flex h-touch items-center gap-2 rounded border-2 border-line bg-page px-5 font-semibold"
        >
          <Download aria-hidden size={18} /> File
        </a>
      </span>
    </li>
  );
}

/** The link in one line: what both ends must agree in. */
function summary(profile: Profile): string {
  const link = profile.data.link as Record<string, unknown>;
  const caster = link.caster as Record<string, unknown> | null;
  const parts = [
    link.frequency_mhz ? `${String(link.frequency_mhz)} MHz` : null,
    link.channel_spacing_khz ? `${String(link.channel_spacing_khz)} kHz` : null,
    link.modulation,
    link.air_rate_bps ? `${String(link.air_rate_bps)} bit/s` : null,
    caster ? `${String(caster.host)}:${String(caster.port)} ${String(caster.mountpoint)}` : null,
    link.format,
    link.station_id === null ? null : `station ${String(link.station_id)}`,
  ];
  return parts.filter(Boolean).join(", ");
}
