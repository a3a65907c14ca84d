// A crew's sheet without a connection: whoever fills it goes on from what was last seen of
// it. What they press waits here with its time, as theirs.
import { drop, recall, waiting, waits } from "./queue.js";
import { button, node } from "./dom.js";
import { uuid7 } from "./uuid.js";

// sheetOf is under what the sheet that somebody saw last is kept.
export function sheetOf(person) { return "crew:" + person; }

function clockOf(iso) { return new Date(iso).toTimeString().slice(0, 5); }
function today() { const d = new Date(); d.setMinutes(d.getMinutes() - d.getTimezoneOffset()); return d.toISOString().slice(0, 10); }

const kinds = { in: "work", switch: "work", back: "work", meal: "meal", rest: "rest", out: "" };

// showCrew shows it in a box, and presses by what reaches the server where it can be.
export async function showCrew(box, person, words, reach) {
  const seen = await recall(sheetOf(person));
  if (!seen) return false;
  const ticked = new Map();
  let picked = "", at = "";

  // standing is who is where: as was seen, and as was pressed since.
  function standing(queue) {
    const people = seen.people.map(function (p) { return { ...p }; });
    queue.forEach(function (q) {
      const s = q.punch.sheet;
      if (!s || q.refused) return;
      if (s.act === "add") people.push({ id: s.people[0], name: s.name, kind: "", since: "", planned: "", job: "", missing: false });
      people.filter(function (p) { return s.people.includes(p.id); }).forEach(function (p) {
        if (s.act === "missing" || s.act === "there") p.missing = s.act === "missing";
        if (!(s.act in kinds)) return;
        Object.assign(p, { kind: kinds[s.act], since: s.at || clockOf(q.punch.device_at), missing: false });
        if (s.choice) p.job = seen.options.find(function (o) { return o.key === s.choice; })?.label || p.job;
      });
    });
    return people;
  }

  async function press(sheet) {
    await waits(person, { id: uuid7(), device_at: new Date().toISOString(), seen_at: seen.now, seen_wall: seen.wall,
      sheet: { unit: seen.unit, day: today(), people: [], ...sheet } });
    at = "";
    await show();
    reach();
  }

  function some(people) { return people.filter(function (p) { return ticked.get(p.id); }).map(function (p) { return p.id; }); }

  function row(p) {
    const input = node("input", { type: "checkbox", value: p.id });
    input.checked = Boolean(ticked.get(p.id));
    input.addEventListener("change", function () { ticked.set(p.id, input.checked); });
    const state = p.missing ? words.crewmissing : p.kind === "work" ? words.crewon.replace("#", p.since) : p.kind ?
      words[p.kind].replace("#", p.since) : p.planned ? words.crewplanned.replace("#", p.planned) : words.off;
    const more = p.kind ? [] : [button(p.missing ? words.crewcame : words.crewmiss, "btn btn-sm btn-outline-secondary", function () {
      press({ act: p.missing ? "there" : "missing", people: [p.id] });
    })];
    return node("li", { class: p.missing ? "crewline gone" : "crewline" }, "", [node("label", {}, "", [input,
      node("span", { class: "who" }, "", [node("b", {}, p.name), node("small", {}, state + (p.job ? " · " + p.job : ""))])]), ...more]);
  }

  function work() {
    const select = node("select", { class: "form-select", "aria-label": words.crewwork }, "", [
      node("option", { value: "" }, words.crewplan),
      ...seen.options.map(function (o) { return node("option", { value: o.key }, o.label); })]);
    select.value = picked;
    select.addEventListener("change", function () { picked = select.value; });
    const time = node("input", { type: "time", class: "form-control", "aria-label": words.crewat });
    time.value = at;
    time.addEventListener("change", function () { at = time.value; });
    return node("div", { class: "row-of" }, "", [node("label", {}, words.crewwork, [select]), node("label", {}, words.crewat, [time])]);
  }

  function acts(people) {
    const on = people.some(function (p) { return p.kind; }), off = people.some(function (p) { return !p.kind && !p.missing; });
    const of = [];
    if (off) of.push(["in", words.in]);
    if (on) of.push(["switch", words.crewmove], ["meal", seen.one_break ? words.startbreak : words.startmeal]);
    if (on && !seen.one_break) of.push(["rest", words.startrest]);
    if (people.some(function (p) { return p.kind === "meal" || p.kind === "rest"; })) of.push(["back", words.crewback]);
    if (on) of.push(["out", words.out]);
    return node("div", { class: "crewbuttons sticky" }, "", of.map(function (b) {
      return button(b[1], "btn btn-primary", function () {
        const whose = some(people), choosing = b[0] === "in" || b[0] === "switch";
        if (!whose.length || b[0] === "switch" && !picked) return;
        press({ act: b[0], people: whose, choice: choosing ? picked : "", at: at });
      });
    }));
  }

  // form is some fields with a button that keeps what is in them.
  function form(fields, label, keep) {
    const inputs = fields.map(function (f) {
      return node("input", { class: "form-control", type: f.type || "text", inputmode: f.mode || "text", autocomplete: "off" });
    });
    return node("div", { class: "row-of" }, "", [...fields.map(function (f, i) { return node("label", {}, f.label, [inputs[i]]); }),
      button(label, "btn btn-outline-secondary", function () {
        const said = inputs.map(function (i) { return i.value.trim(); });
        if (said.every(Boolean)) keep(said);
      })]);
  }

  async function show() {
    const queue = await waiting(person), people = standing(queue), open = queue.filter(function (q) { return !q.refused; });
    if (!ticked.size) {
      const on = people.some(function (p) { return p.kind; });
      people.forEach(function (p) { ticked.set(p.id, Boolean(on ? p.kind : p.planned && !p.missing)); });
    }
    const parts = [node("section", { class: "nosignal", role: "status" }, "", [node("b", {}, words.title), node("p", {}, words.keeps)]),
      node("h1", {}, seen.crew)];
    if (open.length) parts.push(node("p", { class: "waitline" }, words.waiting.replace("#", open.length)));
    queue.filter(function (q) { return q.refused; }).forEach(function (q) {
      parts.push(node("p", { class: "noted" }, words.refused + (q.refused === "-" ? "" : ": " + q.refused) + " ",
        [button(words.seen, "btn btn-sm btn-outline-secondary", function () { drop(q.id).then(show); })]));
    });
    parts.push(node("section", { class: "crewjob" }, "", [node("ul", {}, "", people.map(row))]), work(), acts(people));
    seen.counts.forEach(function (c) {
      parts.push(form([{ label: c.name, mode: "decimal" }], words.crewkeep, function (said) {
        press({ act: "count", job: c.job, task: c.task, amount: said[0] });
      }));
    });
    if (seen.may_add) {
      parts.push(form([{ label: words.crewname }, { label: words.crewmobile, type: "tel" }], words.crewadd, function (said) {
        const id = uuid7();
        ticked.set(id, true);
        press({ act: "add", people: [id], name: said[0], mobile: said[1] });
      }));
    }
    box.hidden = false;
    box.className = "crew";
    box.replaceChildren(...parts);
  }
  await show();
  return true;
}
