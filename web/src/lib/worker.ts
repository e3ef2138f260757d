/** Let the page start without the program, where the browser trusts its certificate: what is cut off then says so. */
export function registerWorker() {
  // Refused behind a certificate that was clicked through; the page is the same without it.
  navigator.serviceWorker?.register("/sw.js").catch(() => undefined);
}
