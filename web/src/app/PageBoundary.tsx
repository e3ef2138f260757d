import { Component, type ReactNode } from "react";
import { Button } from "../ui/controls";

/** What a page cannot draw stays on that page: the rail, the strip and the way out are there. */
export class PageBoundary extends Component<{ children: ReactNode }, { broken: string | null }> {
  override state: { broken: string | null } = { broken: null };

  static getDerivedStateFromError(error: unknown) {
    return { broken: error instanceof Error ? error.message : String(error) };
  }

  override render() {
    if (this.state.broken === null) return this.props.children;
    return (
      <div role="alert" className="m-6 flex max-w-3xl flex-col gap-3 rounded border-2 border-flag bg-page p-5">
        <h1 className="text-3xl font-bold">This page cannot be shown</h1>
        <p>
          What it was sent is not what it draws. Nothing is lost: everything stored is in the data folder. Go to another page, or load
          this one again.
        </p>
        <p className="text-base text-faded">{this.state.broken}</p>
        <div>
          <Button kind="primary" onClick={() => window.location.reload()}>
            Load it again
          </Button>
        </div>
      </div>
    );
  }
}
