// What is late rings until somebody hears it: a tone for each station, louder while nobody answers; if wanted it is spoken, and
// shown by the browser where its window is not seen.

import { marked, t } from "../ui/said.js";

/** @import { Cook, Move } from "./types.d.ts" */

const EACH_MS = 10000;
const LOUDEST_S = 90; // late for so long it rings as loud as it can
const QUIET_GAIN = 0.08;
const LOUD_GAIN = 0.5;
const TONES_HZ = [880, 660, 1047, 784, 587, 988]; // of the stations in their order
const PULSE_S = 0.18;
const PULSES = 3;
const KEPT_AS = "ember-alarm";

export const CHOICES = /** @type {const} */ (["sound", "speech", "notices"]);
export const CHOICE_WORDS = {
  sound: marked("Tone, louder until silenced"),
  speech: marked("Spoken"),
  notices: marked("Notification while this window is hidden"),
};

/** @typedef {Record<typeof CHOICES[number], boolean>} Choices */
/** @typedef {{ cook: Cook, move: Move }} Late */

/** @returns {Choices} */
const stored = () => {
  try {
    return { sound: true, speech: false, notices: false, ...JSON.parse(localStorage.getItem(KEPT_AS) ?? "{}") };
  } catch {
    return { sound: true, speech: false, notices: false };
  }
};

/**
 * How loud, by how long nobody answered: 0.08 to 0.5.
 * @param {number} lateS
 */
export const gainOf = (lateS) => QUIET_GAIN + (LOUD_GAIN - QUIET_GAIN) * Math.min(Math.max(lateS, 0) / LOUDEST_S, 1);

/**
 * The tone of a station, Hz: by its place among all, so that two never sound alike.
 * @param {string} station
 * @param {string[]} all
 */
export const toneOf = (station, all) => TONES_HZ[Math.max(all.indexOf(station), 0) % TONES_HZ.length];

export class Alarm {
  constructor() {
    this.choices = stored();
    /** @type {Set<string>} */
    this.heard = new Set(); // late moves that somebody answered
    /** @type {AudioContext | null} */
    this.audio = null;
    this.rang = -EACH_MS;
    /** @type {WakeLockSentinel | null} */
    this.lock = null;
    const wake = () => this.wake();
    for (const touch of ["pointerdown", "keydown"]) addEventListener(touch, wake, { capture: true });
    document.addEventListener("visibilitychange", wake);
  }

  // sound begins, and the screen stays on, after the first touch
  wake() {
    if (document.visibilityState !== "visible") return;
    if (!this.audio && typeof AudioContext !== "undefined" && navigator.userActivation?.isActive)
      this.audio = new AudioContext();
    if (this.audio?.state === "suspended") this.audio.resume().catch(() => {});
    if (!this.lock || this.lock.released)
      navigator.wakeLock?.request("screen").then(
        (lock) => {
          this.lock = lock;
        },
        () => {},
      );
  }

  // why nobody would hear it; empty when it can be heard
  get mute() {
    if (!this.choices.sound && !this.choices.speech) return t("Alarm sound is off on this device.");
    return this.audio?.state === "running" || !this.choices.sound
      ? ""
      : t("No alarm sound until you tap the screen.");
  }

  /**
   * @param {typeof CHOICES[number]} name
   * @param {boolean} wanted
   */
  async choose(name, wanted) {
    if (name === "notices" && wanted && typeof Notification !== "undefined" && Notification.permission !== "granted")
      wanted = (await Notification.requestPermission()) === "granted";
    this.choices = { ...this.choices, [name]: wanted };
    try {
      localStorage.setItem(KEPT_AS, JSON.stringify(this.choices));
    } catch {
      /* private window */
    }
    return wanted;
  }

  /**
   * Those late moves that nobody has answered.
   * @param {Late[]} late
   */
  open(late) {
    const keys = new Set(late.map(keyOf));
    for (const key of this.heard) if (!keys.has(key)) this.heard.delete(key);
    return late.filter((l) => !this.heard.has(keyOf(l)));
  }

  /** @param {Late[]} late */
  answer(late) {
    for (const one of late) this.heard.add(keyOf(one));
    globalThis.speechSynthesis?.cancel();
  }

  /**
   * Ring for what is late, not more often than every ten seconds.
   * @param {Late[]} late unanswered ones
   * @param {string[]} stations all, in their order
   * @param {number} now
   * @param {number} rate
   */
  ring(late, stations, now, rate) {
    if (!late.length || performance.now() - this.rang < EACH_MS) return;
    this.rang = performance.now();
    const lateS = Math.max(...late.map((l) => (now - l.move.due) / 1000 / Math.max(rate, 1)));
    if (this.choices.sound)
      [...new Set(late.map((l) => l.cook.station))].forEach((station, i) => {
        this.tone(toneOf(station, stations), gainOf(lateS), i * (PULSES * 2 + 1) * PULSE_S);
      });
    if (navigator.userActivation?.hasBeenActive) navigator.vibrate?.([300, 150, 300]); // before a touch it is refused
    const words = late.map((l) => t("{verb}: {piece}", { verb: l.move.verb, piece: l.cook.title })).join(". ");
    if (this.choices.speech && globalThis.speechSynthesis) {
      const spoken = new SpeechSynthesisUtterance(words);
      spoken.lang = document.documentElement.lang;
      speechSynthesis.speak(spoken);
    }
    if (this.choices.notices && document.visibilityState !== "visible" && Notification.permission === "granted")
      new Notification(t("Late on the line"), { body: words, tag: "ember-late" });
  }

  /**
   * @param {number} hz
   * @param {number} loud
   * @param {number} after s
   */
  tone(hz, loud, after = 0) {
    const audio = this.audio;
    if (audio?.state !== "running") return;
    for (let i = 0; i < PULSES; i++) {
      const from = audio.currentTime + after + 2 * i * PULSE_S;
      const oscillator = audio.createOscillator();
      const gain = audio.createGain();
      oscillator.frequency.value = hz;
      gain.gain.setValueAtTime(0, from);
      gain.gain.linearRampToValueAtTime(loud, from + 0.02);
      gain.gain.setValueAtTime(loud, from + PULSE_S - 0.03);
      gain.gain.linearRampToValueAtTime(0, from + PULSE_S);
      oscillator.connect(gain).connect(audio.destination);
      oscillator.start(from);
      oscillator.stop(from + PULSE_S);
    }
  }
}

/** @param {Late} late */
const keyOf = ({ cook, move }) => `${cook.id} ${move.id} ${cook.lastEvent}`;
