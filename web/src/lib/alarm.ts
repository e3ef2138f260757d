/** Sound and vibration when the fix is lost; muted as long as somebody wants it so. */
import { useSyncExternalStore } from "react";

const KEY = "openstake muted";
const listeners = new Set<() => void>();

export const isMuted = () => localStorage.getItem(KEY) === "yes";

export function setMuted(muted: boolean) {
  localStorage.setItem(KEY, muted ? "yes" : "no");
  for (const listener of listeners) listener();
}

export function useMuted(): boolean {
  return useSyncExternalStore((listener) => {
    listeners.add(listener);
    return () => void listeners.delete(listener);
  }, isMuted);
}

let audio: AudioContext | null = null;

/** A browser lets a page sound only after a touch or a key: take the first one. Gives how to stop waiting for it. */
export function waitForTouch(): () => void {
  const stopped = new AbortController();
  const begin = () => {
    audio ??= new AudioContext();
    void audio.resume();
    stopped.abort();
  };
  for (const event of ["pointerdown", "keydown"]) window.addEventListener(event, begin, { signal: stopped.signal });
  return () => stopped.abort();
}

/** Two falling tones, and a vibration where the device has one; nothing while muted. */
export function sound() {
  if (isMuted()) return;
  if (audio?.state === "running") fall(audio);
  navigator.vibrate?.([250, 120, 250]);
}

function fall(output: AudioContext) {
  [660, 440].forEach((hertz, n) => {
    const start = output.currentTime + n * 0.25;
    const tone = output.createOscillator();
    const gain = output.createGain();
    tone.frequency.value = hertz;
    gain.gain.setValueAtTime(0.2, start);
    gain.gain.exponentialRampToValueAtTime(0.001, start + 0.22);
    tone.connect(gain).connect(output.destination);
    tone.start(start);
    tone.stop(start + 0.24);
  });
}
