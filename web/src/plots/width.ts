import { useLayoutEffect, useRef, useState } from "react";

/** The width that a picture has on the page, in its own pixels: its letters stay as large as they are. */
export function useWidth<T extends Element>() {
  const box = useRef<T>(null);
  const [width, setWidth] = useState(0);
  useLayoutEffect(() => {
    const element = box.current;
    if (!element) return;
    const observer = new ResizeObserver(() => setWidth(Math.round(element.getBoundingClientRect().width)));
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  return [box, width] as const;
}
