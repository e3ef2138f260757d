import type { Schemas } from "../api/client";
import { usePorts } from "../api/watch";
import { Button, Select } from "./controls";

export type RefersTo = NonNullable<Schemas["Listen"]["refers_to"]>;

/** What a rover's position refers to: asked once for each receiver, and kept with it in the kit. */
export function RefersToSelect(props: { label: string; value: RefersTo | null; onChange: (value: RefersTo) => void; problem: string | null }) {
  return (
    <Select
      label={props.label}
      value={props.value ?? ""}
      options={[
        { value: "arp", label: "its ARP", detail: "the pole is taken off here" },
        { value: "mark", label: "the mark", detail: "the receiver has taken the pole off" },
        { value: "apc", label: "its phase centre", detail: "pole and antenna offset are taken off here" },
      ]}
      onChange={(value) => props.onChange(value as RefersTo)}
      hint={
        props.problem ? (
          <span className="font-semibold text-flag">{props.problem}</span>
        ) : (
          "Asked once for each receiver. If it is wrong the pole counts twice: 2 m."
        )
      }
    />
  );
}

/** The serial ports of this machine: one press makes one the rover's address. */
export function Ports({ onTake }: { onTake: (url: string) => void }) {
  const ports = usePorts(true);
  const found = ports.data?.ports ?? [];
  if (found.length === 0) return <p className="text-faded">No serial port here. Pair Bluetooth first; a cable shows once it is plugged in.</p>;
  return (
    <div>
      <p className="font-semibold">Serial ports here: take one for the rover</p>
      <div className="mt-1 flex flex-wrap gap-2">
        {found.map((port) => (
          <Button key={port.name} onClick={() => onTake(port.url)}>
            {port.name} <span className="font-normal text-faded">{port.description}</span>
          </Button>
        ))}
      </div>
    </div>
  );
}
