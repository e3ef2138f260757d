import { render, screen } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import { PageBoundary } from "./PageBoundary";

function Broken(): never {
  throw new Error("toFixed of undefined");
}

describe("a page that cannot be drawn", () => {
  it("says so in its place and leaves the rest", () => {
    vi.spyOn(console, "error").mockImplementation(() => undefined);
    render(
      <div>
        <nav>rail</nav>
        <PageBoundary>
          <Broken />
        </PageBoundary>
      </div>,
    );
    expect(screen.getByText("rail")).toBeTruthy();
    expect(screen.getByRole("alert").textContent).toContain("Nothing is lost");
    expect(screen.getByRole("alert").textContent).toContain("toFixed of undefined");
  });
});
