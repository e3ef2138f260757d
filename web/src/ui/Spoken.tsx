/** What a screen reader says when it changes, and nobody sees: a state, never a number that counts. */
export function Spoken({ children }: { children: string }) {
  return (
    <p role="status" className="sr-only">
      {children}
    </p>
  );
}
