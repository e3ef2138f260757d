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

/** Two falling tones, and a vibration where the device has one; nothing while muted. */
export function sound() {
  if (isMuted()) return;
  try {
    audio ??= new AudioContext();
    const start = audio.currentTime;
    [660, 440].forEach((hertz, n) => {
      const tone = audio!.createOscillator();
      const gain = audio!.createGain();
      tone.frequency.value = hertz;
      gain.gain.setValueAtTime(0.2, start + n * 0.25);
      gain.gain.exponentialRampToValueAtTime(0.001, start + n * 0.25 + 0.22);
      tone.connect(gain).connect(audio!.destination);
      tone.start(start + n * 0.25);
      tone.stop(start + n * 0.25 + 0.24);
    });
  } catch {
    // A browser without sound: the title and the strip say it.
  }
  navigator.vibrate?.([250, 120, 250]);
}
