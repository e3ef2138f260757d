import type { ReactNode } from "react";
import type { Problem, Schemas } from "../../api/client";
import { TextField } from "../../ui/controls";
import { Ports, RefersToSelect, type RefersTo } from "../../ui/feeds";

export interface Feeds {
  base_url: string;
  base_password: string;
  rover_url: string;
  receiver_url: string;
  refers_to: RefersTo | null;
}

type Known = { [field in "base_url" | "rover_url" | "receiver_url"]: string | null } & { refers_to: Feeds["refers_to"] };

export function feedsOf(known: Known): Feeds {
  return {
    base_url: known.base_url ?? "",
    base_password: "",
    rover_url: known.rover_url ?? "",
    receiver_url: known.receiver_url ?? "",
    refers_to: known.refers_to,
  };
}

const ADDRESSES = ["base_url", "rover_url", "receiver_url"] as const;

/** What was typed since something was kept. */
export function changedOf(kept: Feeds, feeds: Feeds): Schemas["Settle"] {
  const before: Record<string, string | null> = addressesOf(kept);
  return Object.fromEntries(Object.entries(addressesOf(feeds)).filter(([name, value]) => value !== before[name]));
}

/** The addresses as the server keeps them, where nothing else was typed since they were sent. */
export function withoutPasswords(now: Feeds, sent: Feeds, stored: Known | Schemas["SetUpView"]): Feeds {
  const clean = { ...now };
  for (const name of ADDRESSES) if (now[name] === sent[name] && sent[name].includes("@")) clean[name] = stored[name] ?? "";
  return clean;
}

/** What is kept of the set-up while it is typed. */
function addressesOf(feeds: Feeds) {
  return {
    base_url: feeds.base_url.trim() || null,
    rover_url: feeds.rover_url.trim() || null,
    receiver_url: feeds.receiver_url.trim() || null,
    refers_to: feeds.refers_to,
  };
}

export const listenOf = (feeds: Feeds): Schemas["Listen"] => ({ ...addressesOf(feeds), base_password: feeds.base_password || null });

/** Addresses of the base's stream, its own receiver and the rover, and what the rover's position means. */
export function FeedFields(props: {
  feeds: Feeds;
  onChange: (feeds: Feeds) => void;
  problem: Problem | null;
  practice: boolean;
  children?: ReactNode;
}) {
  const { feeds, onChange } = props;
  const of = (field: string) => (props.problem?.field === field ? props.problem.sentence : null);
  return (
    <div className="grid grid-cols-1 sm:grid-cols-2 gap-4">
      <TextField
        label="Base stream"
        name="base_url"
        value={feeds.base_url}
        onChange={(base_url) => onChange({ ...feeds, base_url })}
        placeholder="ntrip://user@host:2101/MOUNT"
        hint="Empty if only a radio carries it: then what is on the air stays unchecked."
        problem={of("base_url")}
      />
      <TextField
        label="Caster password"
        type="password"
        value={feeds.base_password}
        onChange={(base_password) => onChange({ ...feeds, base_password })}
        hint={props.practice ? "The stand-in's is known." : "Kept in a file of its own, never shown again."}
      />
      <TextField
        label="The base receiver's own NMEA"
        name="receiver_url"
        value={feeds.receiver_url}
        onChange={(receiver_url) => onChange({ ...feeds, receiver_url })}
        placeholder="tcp://192.168.1.20:5016"
        hint="Shows whether it stands where it is meant to. Empty: unchecked."
        problem={of("receiver_url")}
      />
      <TextField
        label="Rover NMEA"
        name="rover_url"
        value={feeds.rover_url}
        onChange={(rover_url) => onChange({ ...feeds, rover_url })}
        placeholder="serial:///dev/rfcomm0?baud=115200, tcp://, udp://"
        problem={of("rover_url")}
      />
      <RefersToSelect
        label="The rover's position refers to"
        value={feeds.refers_to}
        onChange={(refers_to) => onChange({ ...feeds, refers_to })}
        problem={of("refers_to")}
      />
      {props.children}
      {!props.practice && <Ports onTake={(rover_url) => onChange({ ...feeds, rover_url })} />}
    </div>
  );
}
