// One stream for all tabs of a browser: HTTP/1.1 allows six connections to a
// server, and a stream holds one. Each tab says which list it shows, and hears
// what the stream says, and whether it is connected.
const ports = new Map(); // of each tab, the list that it shows: { list, as }
let source = null, up = null, heard = 0, soon = null;

function tell(message) { for (const port of ports.keys()) port.postMessage(message); }

function hears(e) { if (Number(e.lastEventId) > heard) heard = Number(e.lastEventId); }

// follow opens the stream for the lists that are shown now. One that was opened
// before is closed without a word.
function follow() {
  soon = null;
  if (source) source.close();
  if (!ports.size) { source = null; up = null; return; }
  const asks = new URLSearchParams();
  for (const shows of ports.values()) {
    if (!shows.list) continue;
    asks.append("list", shows.list);
    asks.append("as", String(Math.max(shows.as, shows.kept ? heard : 0)));
    shows.kept = true;
  }
  const stream = source = new EventSource("/live?" + asks);
  stream.addEventListener("hello", function () { up = true; tell({ what: "up" }); });
  stream.addEventListener("changed", function (e) { tell({ what: "changed", people: JSON.parse(e.data).people }); });
  stream.addEventListener("rows", function (e) {
    hears(e);
    const patch = JSON.parse(e.data);
    for (const [port, shows] of ports) if (shows.list === patch.list) port.postMessage({ what: "rows", patch: patch });
  });
  stream.addEventListener("error", function () {
    if (stream !== source) return;
    up = false;
    tell({ what: "down" });
    // A lost connection is tried again by itself; one that was answered with
    // an error is not.
    if (stream.readyState === EventSource.CLOSED) setTimeout(function () { if (stream === source) follow(); }, 3000);
  });
}

// Tabs come and go together, when one goes from page to page.
function again() { if (!soon) soon = setTimeout(follow, 30); }

self.addEventListener("connect", function (e) {
  const port = e.ports[0];
  port.onmessage = function (m) {
    const before = ports.get(port);
    if (m.data.bye) {
      ports.delete(port);
      if (before && before.list) again();
      return;
    }
    ports.set(port, { list: m.data.list, as: m.data.as });
    if (!source || m.data.list || before && before.list) again();
    else if (up !== null) port.postMessage({ what: up ? "up" : "down" });
  };
});
