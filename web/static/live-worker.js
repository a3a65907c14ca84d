// One stream for all tabs of a browser: HTTP/1.1 allows six connections to a
// server, and a stream holds one. Each tab hears what the stream says, and
// whether it is connected.
const ports = new Set();
let up = null;

function tell(message) { for (const port of ports) port.postMessage(message); }

function follow() {
  const source = new EventSource("/live");
  source.addEventListener("hello", function () { up = true; tell("up"); });
  source.addEventListener("changed", function () { tell("changed"); });
  source.addEventListener("error", function () {
    up = false;
    tell("down");
    // A lost connection is tried again by itself; one that was answered with
    // an error is not.
    if (source.readyState === EventSource.CLOSED) setTimeout(follow, 3000);
  });
}

follow();
self.addEventListener("connect", function (e) {
  const port = e.ports[0];
  ports.add(port);
  port.onmessage = function (m) { if (m.data === "bye") ports.delete(port); };
  if (up !== null) port.postMessage(up ? "up" : "down");
});
