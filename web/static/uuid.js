// uuid7 makes a UUIDv7 (RFC 9562): milliseconds since 1970, then chance.
export function uuid7() {
  const b = crypto.getRandomValues(new Uint8Array(16));
  let ms = Date.now();
  for (let i = 5; i >= 0; i--) { b[i] = ms % 256; ms = Math.floor(ms / 256); }
  b[6] = b[6] & 0x0f | 0x70;
  b[8] = b[8] & 0x3f | 0x80;
  const hex = Array.from(b, function (x) { return x.toString(16).padStart(2, "0"); }).join("");
  return hex.replace(/(.{8})(.{4})(.{4})(.{4})(.{12})/, "$1-$2-$3-$4-$5");
}
