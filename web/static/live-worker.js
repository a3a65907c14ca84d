// One stream for all tabs of a browser: HTTP/1.1 allows six connections to a
// server, and a stream holds one. Each tab hears what the stream says, and
// whether it is connected.
const ports = new Set();
let up = null;
function tell(message) { for (const port of ports) port.postMessage(message); }
const source = new EventSource("/live");
source.addEventListener("hello", function () { up = true; tell("up"); });
source.addEventListener("changed", function () { tell("changed"); });
source.addEventListener("error", function () {
  up = false;
  tell(source.readyState === EventSource.CLOSED ? "closed" : "down");
});
self.addEventListener("connect", function (e) {
  const port = e.ports[0];
  ports.add(port);
  port.onmessage = function (m) { if (m.data === "bye") ports.delete(port); };
  if (up !== null) port.postMessage(up ? "up" : "down");
});
