// The clock without a connection: whoever signed in last on this device goes on from
// what was last seen of their clock. What they press waits here with its time.
import { send, recall, waiting, waits, who, wordsIn, drop } from "./queue.js";
import { showCrew, sheetOf } from "./crewoffline.js";
import { button, node } from "./dom.js";
import { uuid7 } from "./uuid.js";

const box = document.getElementById("offline");
let person = "", seen = null, words = wordsIn(navigator.language.slice(0, 2)), query = "", chosen = "", switching = false;

function clockOf(iso) { return new Date(iso).toTimeString().slice(0, 5); }

function workOf(key) { return seen.choices.find(function (c) { return c.key === key; }); }

function called(key) {
  const work = workOf(key);
  return work ? work.name + (work.task ? " · " + work.task : "") : "";
}

// standing says where they are: what was seen, and what was pressed since.
function standing(queue) {
  const s = { on: seen.on, kind: seen.kind, since: seen.since, what: seen.what, task: seen.task };
  queue.forEach(function (q) {
    const p = q.punch;
    if (q.refused) return;
    const at = clockOf(p.device_at);
    if (p.act === "in" || p.act === "switch") {
      const work = workOf(p.choice);
      Object.assign(s, { on: true, kind: "work", since: at, what: work?.name, task: work?.task });
    }
    if (p.act === "break_start") Object.assign(s, { kind: p.break, since: at });
    if (p.act === "break_end") Object.assign(s, { kind: "work", since: at });
    if (p.act === "out") Object.assign(s, { on: false, since: at, what: "", task: "" });
  });
  return s;
}

async function press(punch) {
  const pressed = new Date().toISOString();
  const place = seen.place ? await placeNow() : null;
  await waits(person, { id: uuid7(), position: seen.position, device_at: pressed, seen_at: seen.now, seen_wall: seen.wall, ...place,
    ...punch });
  switching = false;
  query = "";
  await show();
  reach();
}

// placeNow gives where the device is, where that is known within a few seconds.
function placeNow() {
  return new Promise(function (resolve) {
    if (!navigator.geolocation) { resolve(null); return; }
    const late = setTimeout(function () { resolve(null); }, 5000);
    navigator.geolocation.getCurrentPosition(function (p) {
      clearTimeout(late);
      resolve({ lat: p.coords.latitude, lon: p.coords.longitude });
    }, function () { clearTimeout(late); resolve(null); }, { enableHighAccuracy: true, maximumAge: 60000, timeout: 5000 });
  });
}

// picker lets them choose among what they were last seen to be able to clock to.
function picker(act, label, but) {
  const list = node("ul", { class: "choices" });
  const fill = function () {
    const found = seen.choices.filter(function (c) {
      const what = (c.name + " " + c.task).toLowerCase(), is = but && c.name === but.what && c.task === (but.task || "").split(" · ")[0];
      return !is && query.toLowerCase().split(/\s+/).every(function (w) { return what.includes(w); });
    }).slice(0, query ? 12 : 8);
    if (!found.some(function (c) { return c.key === chosen; })) chosen = found[0]?.key || "";
    list.replaceChildren(...found.map(row));
  };
  const row = function (c) {
    const input = node("input", { type: "radio", name: "choice", id: "own-" + c.key, value: c.key });
    input.checked = c.key === chosen;
    input.addEventListener("change", function () { chosen = c.key; fill(); });
    const li = node("li", { class: "choice" }, "", [input, node("label", { for: "own-" + c.key }, "", [node("b", {}, c.name),
      node("span", {}, c.task)])]);
    if (c.classes) {
      li.append(node("fieldset", { class: "classes" }, "", [node("legend", {}, words.as), ...c.classes.map(function (cl) {
        const one = node("input", { type: "radio", name: "class-" + c.key, value: cl.id });
        one.checked = c.classes.length === 1;
        return node("label", {}, "", [one, document.createTextNode(" " + cl.name)]);
      })]));
    }
    if (c.asks) {
      li.append(node("fieldset", { class: "classes" }, "", [node("legend", {}, words.isbilled), ...["yes", "no"].map(function (is) {
        const one = node("input", { type: "radio", name: "billed-" + c.key, value: is });
        one.checked = c.billed === (is === "yes");
        return node("label", {}, "", [one, document.createTextNode(" " + words[is === "yes" ? "billed" : "notbilled"])]);
      })]));
    }
    return li;
  };
  fill();
  const parts = [list];
  if (seen.choices.length > 8) {
    const find = node("input", { type: "search", class: "form-control", id: "jobs-q", placeholder: words.search,
      "aria-label": words.search, autocomplete: "off" });
    find.value = query;
    find.addEventListener("input", function () { query = find.value; fill(); });
    parts.push(find);
  }
  let called = null;
  if (act === "in" && seen.call_out) {
    called = node("input", { type: "checkbox" });
    parts.push(node("label", { class: "tick" }, "", [called, document.createTextNode(" " + words.calledin)]));
  }
  const go = button(label, "btn btn-primary big", function () {
    const classOf = list.querySelector('input[name="class-' + CSS.escape(chosen) + '"]:checked');
    const billed = list.querySelector('input[name="billed-' + CSS.escape(chosen) + '"]:checked');
    if (!chosen) return;
    press({ act: act, choice: chosen, class: classOf ? classOf.value : "", billed: billed ? billed.value : "",
      called_in: Boolean(called && called.checked) });
  });
  parts.push(node("div", { class: "sticky" }, "", [go]));
  return parts;
}

function breaks() {
  const of = seen.one_break ? [["meal", words.startbreak]] : [["meal", words.startmeal], ["rest", words.startrest]];
  return node("div", { class: "breaks" }, "", of.map(function (b) {
    return button(b[1], "btn btn-outline-secondary big", function () { press({ act: "break_start", break: b[0] }); });
  }));
}

// leaving is the way out: where a meal would be taken out by itself, they are asked.
function leaving(queue) {
  const asks = seen.ask_meal && !queue.length && Date.now() >= Date.parse(seen.ask_meal);
  const out = function (meal) { return function () { press({ act: "out", meal: meal }); }; };
  if (!asks) return node("div", { class: "out" }, "", [button(words.out, "", out(""))]);
  return node("div", { class: "out meal" }, "", [node("h2", {}, words.askmeal), button(words.mealyes, "", out("yes")),
    button(words.mealno, "", out("no"))]);
}

function list(queue) {
  return queue.map(function (q) {
    const what = clockOf(q.punch.device_at) + " " + words["did" + q.punch.act] + (q.punch.choice ? ": " + called(q.punch.choice) : "");
    const p = node("p", { class: "noted" }, q.refused ? what + " – " + words.refused : what);
    if (q.refused) p.append(" ", button(words.seen, "btn btn-sm btn-outline-secondary", function () { drop(q.id).then(show); }));
    return p;
  });
}

async function show() {
  const queue = await waiting(person), s = standing(queue), open = queue.filter(function (q) { return !q.refused; });
  const since = s.on ? (s.kind === "work" ? words.clocked : words[s.kind]).replace("#", s.since) : words.off;
  const parts = [
    node("section", { class: "nosignal", role: "status" }, "", [node("b", {}, words.title), node("p", {}, words.keeps)]),
    node("section", { class: "state", "aria-live": "polite" }, "", [node("p", { class: "now-line" }, since),
      node("h1", {}, s.what || seen.name), node("p", { class: "task" }, s.task)])];
  if (open.length) parts.push(node("p", { class: "waitline" }, words.waiting.replace("#", open.length)));
  parts.push(...list(queue));
  if (!s.on) {
    parts.push(node("h2", {}, words.starting), ...picker("in", words.in));
  } else {
    const more = node("details", { class: "switch" }, "", [node("summary", {}, words.switch), node("div", { class: "pick" }, "",
      picker("switch", words.tothis, s))]);
    more.open = switching;
    more.addEventListener("toggle", function () { switching = more.open; });
    parts.push(more);
    if (s.kind === "work") {
      parts.push(breaks());
    } else {
      const back = s.kind === "meal" ? words.endmeal : words.endrest;
      parts.push(button(back, "btn btn-primary big", function () { press({ act: "break_end" }); }));
    }
  }
  if (seen.travel) {
    parts.push(button(words.travel, "btn btn-outline-secondary big", function () {
      press({ act: s.on ? "switch" : "in", choice: seen.travel });
    }));
  }
  if (s.on) parts.push(leaving(open));
  if (await recall(sheetOf(person))) parts.push(node("p", {}, "", [node("a", { href: "/crew", class: "textlink" }, words.crewsheet)]));
  box.hidden = false;
  box.replaceChildren(...parts);
}

function nobody() {
  box.hidden = false;
  box.replaceChildren(node("section", { class: "state" }, "", [node("h1", {}, words.title), node("p", {}, words.nobody)]),
    button(words.again, "btn btn-primary big", function () { location.reload(); }));
}

// reach tries to send what waits, and goes back to the clock itself once it can be
// reached.
let reaching = false;
async function reach() {
  if (reaching) return;
  reaching = true;
  try {
    if (person) await send(person);
    await fetch("/healthz");
    location.replace(location.pathname.startsWith("/clock/offline") ? "/clock" : location.href);
  } catch (e) {
    if (e.message === "stranger") location.replace("/signin?to=%2Fclock");
  } finally {
    reaching = false;
  }
}

async function begin() {
  person = window.indexedDB ? await who() : "";
  seen = person ? await recall(person) : null;
  if (seen) {
    words = wordsIn(seen.lang);
    document.documentElement.lang = seen.lang;
    document.getElementById("who").textContent = seen.name;
  }
  if (person && location.pathname.startsWith("/crew") && await showCrew(box, person, words, reach)) {
    // the sheet of their crew stands there
  } else if (seen) {
    await show();
  } else {
    nobody();
  }
  addEventListener("online", reach);
  setInterval(reach, 5000);
}
begin();
