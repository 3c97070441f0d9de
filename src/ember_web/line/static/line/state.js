// The state document in the browser: the whole of it once, then what changed. Nothing of the page is touched here.

const SEEN_AT_ONCE = 200;

// what a board has, after what it is told; the same object when nothing of it changed
export const merged = (state, told) => {
  if (told.whole !== false) return told;
  const known = new Map(state.cooks.map((c) => [c.id, c]));
  for (const change of told.cooks) known.set(change.id, changed(known.get(change.id), change));
  const { now, rate, zone, rev, ids } = told;
  return { now, rate, zone, rev, ids, cooks: ids.map((id) => known.get(id)).filter(Boolean) };
};

const changed = (cook, change) => {
  const { readingsAdded, ...rest } = change;
  const out = { ...cook, ...rest };
  if (readingsAdded) out.readings = [...(cook?.readings || []), ...readingsAdded];
  return out;
};

// of the marks made here, those that the state does not hold yet
export const unseen = (state, marks) => {
  const seen = new Set(state.cooks.flatMap((c) => (c.marks || []).slice(-SEEN_AT_ONCE)));
  return marks.filter((e) => !seen.has(e.id));
};
