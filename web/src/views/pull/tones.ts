/** Short tones for those who look at the machine and not at the page; off until asked for. */

const KEY = "vapocline.tones";
let audio: AudioContext | undefined;

export function tonesOn() {
  return localStorage.getItem(KEY) === "on";
}

export function setTones(on: boolean) {
  localStorage.setItem(KEY, on ? "on" : "off");
  if (on) sound("soon"); // so that one hears what was switched on, and the browser lets us
}

/** A short low tone before a change, a longer high one at it. */
export function sound(what: "soon" | "now") {
  if (!tonesOn()) return;
  audio ??= new AudioContext();
  const tone = audio.createOscillator();
  const volume = audio.createGain();
  const seconds = what === "now" ? 0.35 : 0.09;
  tone.frequency.value = what === "now" ? 988 : 659;
  volume.gain.setValueAtTime(0.12, audio.currentTime);
  volume.gain.exponentialRampToValueAtTime(0.001, audio.currentTime + seconds);
  tone.connect(volume).connect(audio.destination);
  tone.start();
  tone.stop(audio.currentTime + seconds);
}
