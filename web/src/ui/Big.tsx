/** The number that decides, to be read at arm's length in the sun: its digits are 48 px high or more. */
export function Big(props: { label: string; value: string; sign: string; bad?: boolean }) {
  return (
    <p className={`flex items-baseline justify-between gap-2 ${props.bad ? "text-flag" : ""}`}>
      <span className="text-lg">{props.label}</span>
      <span className="text-[4.5rem] leading-[4.25rem] font-bold whitespace-nowrap" data-big>
        {props.value}
        <span className="ml-1 text-2xl">{props.sign}</span>
      </span>
    </p>
  );
}
