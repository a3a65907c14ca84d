// The shared terminal: number, PIN, act. What is typed leaves it sealed to the server's
// key; without a connection it goes on for everybody it has seen, and holds no PIN.
import { button, node } from "./dom.js";
import { drop, recall, remember, waiting, waits, wordsIn } from "./queue.js";
import { onSwipe } from "./swipe.js";
import { uuid7 } from "./uuid.js";

const board = document.getElementById("board"), side = document.getElementById("keys-side");
const stays = 8000, idleAfter = 45000, knownFor = 72 * 3600 * 1000;

let state = null, away = false, closed = false, queued = 0, lang = "";
let number = "", pin = "", who = null, standing = null, other = null, shows = "", leaves = 0;

const languages = Array.from(document.querySelectorAll(".words[data-language]"));
function words() { return wordsIn(lang || navigator.language.slice(0, 2)); }
function say(key, of) { return (words()[key] || "").replace("#", of === undefined ? "" : of); }

// asks asks the server; it throws "away" where it can't be reached.
async function asks(path, form) {
  const opened = new URLSearchParams(location.search).has("opened") ? "&opened=1" : "";
  const to = path + (form ? "" : "?lang=" + lang + opened);
  let answer;
  try {
    answer = await fetch(to, form ? { method: "POST", body: new URLSearchParams({ ...form, lang: lang }) } : {});
    if (answer.status >= 500) throw new Error("away");
    return { status: answer.status, ...(await answer.json()) };
  } catch {
    away = true;
    throw new Error("away");
  }
}

// seal closes a PIN to the server's key, for one thing alone. Where the browser can't, it
// goes as it is, over the same connection.
async function seal(id, secret = pin) {
  if (!secret) return {};
  if (!crypto.subtle) return { pin: secret };
  const key = await crypto.subtle.importKey("jwk", state.key, { name: "RSA-OAEP", hash: "SHA-256" }, false, ["encrypt"]);
  const said = new TextEncoder().encode(JSON.stringify({ pin: secret, for: id }));
  const sealed = await crypto.subtle.encrypt({ name: "RSA-OAEP" }, key, said);
  return { sealed: btoa(String.fromCharCode(...new Uint8Array(sealed))) };
}

// look reads who is there, and keeps it for when there is no connection.
async function look() {
  try {
    const seen = await asks("/terminal/look");
    closed = seen.status === 401;
    away = false;
    if (!closed) {
      state = { ...seen, wall: new Date().toISOString() };
      await remember({ ...seen, person: "terminal" });
    }
  } catch { /* what was seen before stays */ }
  if (!state) state = await recall("terminal") || null;
  if (!away && !closed) await flush();
  queued = (await waiting("terminal")).length;
  showBoard();
  if (shows === "") show("number");
  if (closed || state && away && Date.now() - Date.parse(state.wall) > knownFor) show("closed");
  else if (shows === "closed") show("number");
}

// flush sends what waits, in order. What was refused is not sent again.
async function flush() {
  for (;;) {
    let some = (await waiting("terminal")).slice(0, 20);
    if (!some.length) return;
    const card = some.findIndex(function (p) { return p.punch.swipe; });
    if (card === 0) {
      const answer = await asks("/terminal/swipe", { ...some[0].punch, queued: "yes", sent_at: new Date().toISOString() });
      if (answer.status === 401) return;
      await drop(some[0].id);
      continue;
    }
    if (card > 0) some = some.slice(0, card); // in their order
    const answer = await asks("/terminal/punches", { sent_at: new Date().toISOString(),
      punches: JSON.stringify(some.map(function (p) { return { ...p.punch, queued: true }; })) });
    if (answer.status !== 200) return;
    for (const r of answer.results) await drop(r.id);
  }
}

// there is the time of day at the terminal's site, where the device is set to another.
function there(instant) {
  const seen = new Date(state.now), [h, m] = state.clock.split(":").map(Number);
  const off = (h * 60 + m) - (seen.getUTCHours() * 60 + seen.getUTCMinutes());
  return new Date(instant.getTime() + off * 60000).toISOString().slice(11, 16);
}

function showBoard() {
  if (!state) return;
  document.getElementById("where").textContent = state.name;
  document.getElementById("now").textContent = away ? there(new Date()) : state.clock;
  const parts = [node("h1", {}, state.head)];
  if (away) parts.push(node("p", { class: "nosignal" }, say("cut") + (queued ? " · " + say("waiting", queued) : "")));
  if (state.unserved?.length) parts.push(node("p", { class: "lost" }, say("opened", state.unserved.join("; "))));
  if (state.lost?.length) parts.push(node("p", { class: "lost" }, say("lost", state.lost.join(", "))));
  const list = node("ul", { class: "there" });
  const axis = node("span", { class: "drawn" });
  axis.innerHTML = state.axis || "";
  list.append(node("li", { class: "axis", "aria-hidden": "true" }, "", [node("b", {}), axis, node("span", {})]));
  (state.board || []).forEach(function (b) {
    const drawn = node("span", { class: "drawn" });
    drawn.innerHTML = b.ribbon;
    list.append(node("li", { class: b.state }, "", [node("b", {}, b.name), drawn, node("span", {}, b.words)]));
  });
  parts.push(list);
  board.replaceChildren(...parts);
}

function reset() {
  number = pin = "";
  who = standing = other = null;
  lang = "";
  show("number");
}

// show shows a step at the keys; each goes back to the number by itself.
function show(step, more) {
  shows = step;
  clearTimeout(leaves);
  if (step === "done") leaves = setTimeout(reset, stays);
  else if (step !== "number") leaves = setTimeout(reset, idleAfter);
  document.documentElement.lang = lang || words().lang;
  side.replaceChildren(...steps[step](more));
}

function keys(text, field, left, right) {
  const pad = node("div", { class: "pad" });
  const key = function (label, press, style) { pad.append(button(label, "key" + (style ? " " + style : ""), press)); };
  "123456789".split("").forEach(function (d) { key(d, function () { digit(d); }); });
  key(left[0], left[1], "small");
  key("0", function () { digit("0"); });
  key(right[0], right[1], "small");
  return [node("p", { class: "ask" }, text), node("output", { class: "typed" }, field), pad];
}

function digit(d) {
  if (shows === "number" && number.length < 12) {
    number += d;
    const found = state.people.filter(function (p) { return p.number.startsWith(number); });
    if (found.length === 1 && found[0].number === number || found.length && found.every(function (p) { return p.number === number; })) {
      known(found[0]);
      return;
    }
    show("number", found.length ? "" : say("nobody"));
    if (!found.length) number = "";
  } else if (shows === "pin" && pin.length < 8) {
    pin += d;
    show("pin");
  }
}

// known is that somebody said who they are.
function known(person) {
  who = person;
  if (person.lang) lang = person.lang;
  pin = "";
  if (!person.served) { show("done", { wrong: say("unserved") }); return; }
  if (state.watched) check();
  else show("pin");
}

async function check() {
  const id = uuid7();
  try {
    const answer = await asks("/terminal/check", { id: id, number: who.number, ...(await seal(id)) });
    if (answer.status === 403) { pin = ""; show("pin", say("wrong")); return; }
    if (answer.status === 429) { pin = ""; show("done", { wrong: say("waits") }); return; }
    if (answer.status !== 200) { show("done", { wrong: say("nobody") }); return; }
    standing = answer;
  } catch {
    // Without a connection it goes by what was seen of them, and what waits since.
    const since = (await waiting("terminal")).filter(function (p) { return p.punch.number === who.number; });
    standing = since.reduce(function (s, p) {
      const act = p.punch.act;
      if (act === "out") return { ...s, on: false };
      return { ...s, on: true, kind: act === "break_start" ? p.punch.break : "work", since: there(new Date(p.punch.device_at)), what: "" };
    }, { name: who.given, on: Boolean(who.kind), kind: who.kind, since: who.since, what: who.what, sums: [], crew: [] });
  }
  show("acts");
}

function takes(act) { return state.takes.includes(act); }

function workName(key) {
  const work = state.work.find(function (w) { return w.key === key; });
  return work ? work.name + (work.task ? " · " + work.task : "") : "";
}

async function press(punch) {
  const id = uuid7(), now = new Date().toISOString();
  const sent = { id: id, number: who.number, position: who.id, device_at: now, seen_at: state.now, seen_wall: state.wall, ...punch,
    ...(await seal(id)), ...(other ? { other: other.id } : {}) };
  pin = "";
  const did = say("did" + punch.act) + (punch.choice ? ": " + workName(punch.choice) : "");
  try {
    const answer = await asks("/terminal/punches", { sent_at: new Date().toISOString(), punches: JSON.stringify([sent]) });
    const r = answer.results?.[0];
    if (answer.status === 403 || answer.status === 429) show("done", { wrong: say(answer.status === 403 ? "wrong" : "waits") });
    else if (!r || r.state === "refused") show("done", { wrong: say("cant", r?.why || "") });
    else if (r.state === "claim") show("done", { did: say("claim"), why: r.why });
    else show("done", { did: did });
    look();
  } catch {
    if (other) { show("done", { wrong: say("cut") }); return; }
    await waits("terminal", sent);
    queued++;
    show("done", { did: did, why: say("kept") });
    showBoard();
  }
}

async function forgot() {
  try {
    await asks("/terminal/forgot", { number: who.number });
    show("done", { did: say("asked") });
  } catch {
    show("done", { wrong: say("cut") });
  }
}

const steps = {
  number: function (wrong) {
    if (!state) return [];
    const parts = keys(say("number"), number + "_", [say("initial"), function () { show("letters"); }],
      [say("undo"), function () { number = number.slice(0, -1); show("number"); }]);
    if (wrong) parts.unshift(node("p", { class: "wrong", role: "alert" }, wrong));
    const exact = state.people.find(function (p) { return p.number === number; });
    if (exact) parts.push(button(say("next"), "btn btn-primary big", function () { known(exact); }));
    parts.push(node("p", { class: "quiet" }, state.watched ? say("watched", state.watched) : say("then")));
    parts.push(node("p", { class: "tongues" }, "", languages.map(function (w) {
      return button(w.dataset.language, "plain", function () { lang = w.dataset.lang; show(shows); look(); });
    })));
    return parts;
  },
  letters: function () {
    const letters = Array.from(new Set(state.people.map(function (p) { return p.given[0]; }))).sort();
    return [node("p", { class: "ask" }, say("letters")), node("div", { class: "pad letters" }, "", letters.map(function (l) {
      return button(l, "key", function () { show("names", l); });
    })), button(say("back"), "btn btn-outline-secondary big", reset)];
  },
  names: function (letter) {
    const found = state.people.filter(function (p) { return p.given[0] === letter; });
    return [node("p", { class: "ask" }, say("who")), node("div", { class: "names" }, "", found.map(function (p) {
      return button(p.given + " " + p.family, "key wide", function () { known(p); });
    })), button(say("back"), "btn btn-outline-secondary big", function () { show("letters"); })];
  },
  pin: function (wrong) {
    const parts = keys(say("pinof", who.given + " " + who.family), "•".repeat(pin.length) + "_",
      [say("ok"), function () { if (pin) check(); }], [say("undo"), function () { pin = pin.slice(0, -1); show("pin"); }]);
    if (wrong) parts.unshift(node("p", { class: "wrong", role: "alert" }, wrong));
    parts.push(node("div", { class: "two" }, "", [button(say("notme"), "btn btn-outline-secondary big", reset),
      button(say("forgot"), "btn btn-outline-secondary big", forgot)]));
    return parts;
  },
  acts: function () {
    const about = other || who;
    const s = other ? { on: Boolean(other.kind), kind: other.kind, since: other.since, what: other.what, sums: [] } : standing;
    const where = s.on ? say(s.kind === "work" ? "clocked" : s.kind, s.since) : say("off");
    const parts = [node("p", { class: "ask" }, other ? say("acting", other.given + " " + other.family) : say("hello", s.name)),
      node("h2", {}, where), node("p", {}, s.what || "")];
    s.sums.forEach(function (sum) { parts.push(node("p", { class: "quiet sumline" }, sum)); });
    const step = function (label, press, style) { parts.push(button(label, "btn big " + (style || "btn-outline-secondary"), press)); };
    const act = function (label, punch, style) { step(label, function () { press(punch); }, style); };
    const planned = workName(about.planned) ? about.planned : "";
    if (!s.on && takes("in")) {
      const called = node("input", { type: "checkbox" });
      if (standing.call_out && !other) {
        parts.push(node("label", { class: "tick" }, "", [called, document.createTextNode(" " + say("calledin"))]));
      }
      step(say("inon", planned ? workName(planned) : say("nojob")),
        function () { begin({ act: "in", choice: planned, called_in: called.checked }); }, "btn-primary");
      step(say("another"), function () { show("pick", "in"); });
    }
    if (s.on && s.kind !== "work") act(say(s.kind === "meal" ? "endmeal" : "endrest"), { act: "break_end" }, "btn-primary");
    if (s.on && takes("switch")) step(say("switch"), function () { show("pick", "switch"); });
    if (s.on && s.kind === "work" && takes("break")) {
      act(say(standing.one_break ? "startbreak" : "startmeal"), { act: "break_start", break: "meal" });
      if (!standing.one_break) act(say("startrest"), { act: "break_start", break: "rest" });
    }
    if (s.on && standing.ask_meal && !other) {
      parts.push(node("p", { class: "ask" }, say("askmeal")));
      act(say("mealyes"), { act: "out", meal: "yes" }, "leave");
      act(say("mealno"), { act: "out", meal: "no" }, "leave");
    } else if (s.on) {
      act(say("out"), { act: "out" }, "leave");
    }
    if (!other && standing.crew?.length && !away) step(say("others"), function () { show("crew"); });
    step(say("back"), reset);
    return parts;
  },
  pick: function (act) {
    const found = node("div", { class: "names" });
    const find = node("input", { type: "search", class: "form-control", placeholder: say("search"), "aria-label": say("search"),
      autocomplete: "off" });
    const fill = function () {
      const parts = find.value.toLowerCase().split(/\s+/);
      found.replaceChildren(...state.work.filter(function (w) {
        const text = (w.name + " " + w.task).toLowerCase();
        return parts.every(function (p) { return text.includes(p); });
      }).slice(0, 40).map(function (w) {
        return button(w.name + (w.task ? " · " + w.task : ""), "key wide", function () { begin({ act: act, choice: w.key }); });
      }));
    };
    find.addEventListener("input", fill);
    fill();
    return [find, found, button(say("back"), "btn btn-outline-secondary big", function () { show("acts"); })];
  },
  classes: function (punch) {
    const work = state.work.find(function (w) { return w.key === punch.choice; });
    return [node("p", { class: "ask" }, say("as")), node("div", { class: "names" }, "", work.classes.map(function (c) {
      return button(c.name, "key wide", function () { press({ ...punch, class: c.id }); });
    })), button(say("back"), "btn btn-outline-secondary big", function () { show("acts"); })];
  },
  crew: function () {
    const crew = state.people.filter(function (p) { return standing.crew.includes(p.id); });
    return [node("p", { class: "ask" }, say("forwhom")), node("div", { class: "names" }, "", crew.map(function (p) {
      return button(p.given + " " + p.family, "key wide", function () { other = p; show("acts"); });
    })), button(say("back"), "btn btn-outline-secondary big", function () { show("acts"); })];
  },
  done: function (of) {
    const name = other || who;
    const called = of.name || (name ? name.given + " " + name.family : "");
    return [node("div", { class: of.wrong ? "did wrong" : "did", role: of.wrong ? "alert" : "status" }, "", [
      node("h2", {}, of.wrong || of.did), node("p", { class: "called" }, called), node("p", {}, of.why || "")]),
    button(say("next"), "btn btn-outline-secondary big", reset)];
  },
  closed: function () { return [node("p", { class: "ask" }, closed ? say("closed") : say("old"))]; },
};

// swiped takes a card: in, out, or nothing within the guard. Without a connection it waits
// sealed as a PIN does.
async function swiped(text) {
  if (!state || closed) return;
  const id = uuid7(), now = new Date().toISOString();
  const sent = { id: id, device_at: now, seen_at: state.now, seen_wall: state.wall, ...(await seal(id, text)) };
  who = other = null;
  try {
    const r = await asks("/terminal/swipe", { ...sent, sent_at: new Date().toISOString() });
    if (r.status !== 200) { show("done", { wrong: r.why || say("nobody") }); return; }
    const did = { in: "didin", out: "didout", again: "again", claim: "claim" }[r.state];
    show("done", { did: say(did) + " " + r.at, name: r.name, why: r.why || say("workedtoday", r.worked) });
    look();
  } catch {
    await waits("terminal", { ...sent, swipe: true });
    queued++;
    show("done", { did: say("kept") });
    showBoard();
  }
}
onSwipe(swiped);

// begin asks for the classification where the work is public and there are several.
function begin(punch) {
  const work = state.work.find(function (w) { return w.key === punch.choice; });
  if (work?.classes?.length === 1) press({ ...punch, class: work.classes[0].id });
  else if (work?.classes?.length) show("classes", punch);
  else press(punch);
}

document.addEventListener("keydown", function (e) {
  if (e.target.matches("input")) return;
  if (/^[0-9]$/.test(e.key)) { if (shows === "done") reset(); digit(e.key); }
  if (e.key === "Backspace" && shows === "pin") { pin = pin.slice(0, -1); show("pin"); }
  if (e.key === "Backspace" && shows === "number") { number = number.slice(0, -1); show("number"); }
  if (e.key === "Enter" && shows === "pin" && pin) check();
  if (e.key === "Escape") reset();
});

look();
setInterval(function () { if (shows === "number" || shows === "done" || shows === "closed" || away) look(); }, 3000);
addEventListener("online", look);
