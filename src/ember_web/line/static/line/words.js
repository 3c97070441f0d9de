// Small things that several parts use: elements, ids, sounds.

export const el = (tag, cls, content) => {
  const e = document.createElement(tag);
  if (cls) e.className = cls;
  if (content !== undefined) e.textContent = content;
  return e;
};

// a name that somebody gave: no language changes it
export const named = (name) => {
  const e = el("span", "", name);
  e.translate = false;
  return e;
};

export const svg = (tag, attributes) => {
  const e = document.createElementNS("http://www.w3.org/2000/svg", tag);
  for (const [k, v] of Object.entries(attributes)) e.setAttribute(k, v);
  return e;
};

export const uuid = () =>
  crypto.randomUUID
    ? crypto.randomUUID()
    : "10000000-1000-4000-8000-100000000000".replace(/[018]/g, (c) =>
        (c ^ (crypto.getRandomValues(new Uint8Array(1))[0] & (15 >> (c / 4)))).toString(16),
      );

export const pieces = (cook) => `${cook.count > 1 ? `${cook.count} × ` : ""}${cook.title}`;

export const beep = () => {
  try {
    const audio = new AudioContext();
    const tone = audio.createOscillator();
    const gain = audio.createGain();
    tone.frequency.value = 880;
    gain.gain.value = 0.15;
    tone.connect(gain).connect(audio.destination);
    tone.start();
    tone.stop(audio.currentTime + 0.25);
    tone.onended = () => audio.close();
  } catch {
    /* no sound before the first touch */
  }
};
