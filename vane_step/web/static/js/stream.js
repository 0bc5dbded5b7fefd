// One stream of events for all tabs: browsers hold few connections to a server, and each tab would take one for good.
const ports = new Set();
let source = null;
const pass = (message) => ports.forEach((port) => port.postMessage(message));

function open() {
  source = new EventSource("/events");
  source.addEventListener("open", () => pass({ kind: "open" }));
  source.addEventListener("error", () => pass({ kind: "error" }));
  for (const kind of ["version", "job", "offers"])
    source.addEventListener(kind, (e) => pass({ kind, data: JSON.parse(e.data) }));
}

self.addEventListener("connect", (e) => {
  const port = e.ports[0];
  ports.add(port);
  port.onmessage = (message) => {
    if (message.data !== "bye") return;
    ports.delete(port);
    if (!ports.size && source) {
      source.close();
      source = null;
    }
  };
  if (!source) open();
  else if (source.readyState === EventSource.OPEN) port.postMessage({ kind: "open" });
});
