// Punches that wait on this device to be sent. Each is its maker's: nobody else sees it
// here, or sends it, and it waits for them through reloads and the end of a session.
const kept = { punches: { keyPath: "id" }, seen: { keyPath: "person" }, who: { keyPath: "key" } };
let opened = null;

function open() {
  opened ||= new Promise(function (resolve, reject) {
    const asked = indexedDB.open("manudex", 1);
    asked.onupgradeneeded = function () {
      Object.entries(kept).forEach(function (of) { asked.result.createObjectStore(of[0], of[1]); });
    };
    asked.onsuccess = function () { resolve(asked.result); };
    asked.onerror = function () { opened = null; reject(asked.error); };
  });
  return opened;
}

// does something with a store and gives what came of it, once it is kept.
async function does(name, mode, what) {
  const db = await open();
  return new Promise(function (resolve, reject) {
    const act = db.transaction(name, mode), asked = what(act.objectStore(name));
    act.oncomplete = function () { resolve(asked.result); };
    act.onerror = act.onabort = function () { reject(act.error); };
  });
}

// Whose clock this device shows without a connection: whoever signed in last.
export async function who() { return (await does("who", "readonly", function (s) { return s.get("now"); }))?.person || ""; }
export function isWho(person) { return does("who", "readwrite", function (s) { return s.put({ key: "now", person: person }); }); }

// What was last seen of somebody's clock.
export function remember(seen) {
  return does("seen", "readwrite", function (s) { return s.put({ ...seen, wall: new Date().toISOString() }); });
}
export function recall(person) { return does("seen", "readonly", function (s) { return s.get(person); }); }

// waits keeps a punch of somebody; the same again stays one.
export async function waits(person, punch) {
  if (navigator.storage?.persist) navigator.storage.persist();
  const all = await does("punches", "readonly", function (s) { return s.getAll(); });
  if (all.some(function (p) { return p.id === punch.id; })) return;
  const last = all.reduce(function (n, p) { return Math.max(n, p.order); }, 0);
  await does("punches", "readwrite", function (s) { return s.put({ id: punch.id, person: person, order: last + 1, punch: punch }); });
}

// waiting gives what somebody has waiting, in order; what was refused says so.
export async function waiting(person) {
  const all = await does("punches", "readonly", function (s) { return s.getAll(); });
  return all.filter(function (p) { return p.person === person; }).sort(function (a, b) { return a.order - b.order; });
}

// waitsForAnybody says whether something waits, whosever it is.
export async function waitsForAnybody() {
  const all = await does("punches", "readonly", function (s) { return s.getAll(); });
  return all.some(function (p) { return !p.refused && p.person !== "terminal"; });
}

export function drop(id) { return does("punches", "readwrite", function (s) { return s.delete(id); }); }

// send sends what somebody has waiting, in order, and gives how many were taken; it
// throws "away" where there is no connection, and "stranger" where they aren't signed in.
// One tab at a time does it, and what was sent twice is stored once.
export function send(person) {
  const once = function () { return sendNow(person); };
  return navigator.locks ? navigator.locks.request("manudex-queue", once) : once();
}

async function sendNow(person) {
  let taken = 0;
  for (;;) {
    const some = (await waiting(person)).filter(function (p) { return !p.refused; }).slice(0, 50);
    if (!some.length) return taken;
    const body = new URLSearchParams({ person: person, sent_at: new Date().toISOString(),
      queue: JSON.stringify(some.map(function (p) { return p.punch; })) });
    let answer;
    try {
      answer = await fetch("/clock/queue", { method: "POST", body: body, headers: { "HX-Request": "true" } });
    } catch {
      throw new Error("away");
    }
    if (answer.status === 401 || answer.status === 409) throw new Error("stranger");
    if (!answer.ok) throw new Error("away");
    for (const r of (await answer.json()).results) {
      if (r.state === "refused") {
        const p = some.find(function (x) { return x.id === r.id; });
        if (p) await does("punches", "readwrite", function (s) { return s.put({ ...p, refused: r.why || "-" }); });
      } else {
        await drop(r.id);
        taken++;
      }
    }
  }
}

// wordsIn gives the words of the page in a language, those that pages share among them.
export function wordsIn(lang) {
  const all = Array.from(document.querySelectorAll(".words")), known = all.some(function (w) { return w.dataset.lang === lang; });
  const said = all.filter(function (w) { return w.dataset.lang === (known ? lang : all[0].dataset.lang); });
  return Object.assign({}, ...said.map(function (w) { return w.dataset; }));
}
