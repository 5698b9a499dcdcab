function (began) {
  // Mulberry32: small, and the same in every load.
  let state = 0x9e3779b9;
  Math.random = function random() {
    state = (state + 0x6d2b79f5) | 0;
    let t = Math.imul(state ^ (state >>> 15), 1 | state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
  if (began === null) return;
  const Real = Date;
  const zero = began - performance.now();
  const behind = Real.now() - performance.now() - zero;
  const now = () => Math.floor(Real.now() - behind);
  globalThis.Date = new Proxy(Real, {
    construct: (target, given, as) => Reflect.construct(target, given.length ? given : [now()], as),
    apply: () => new Real(now()).toString(),
    get: (target, name) => (name === "now" ? now : Reflect.get(target, name)),
  });
  Real.prototype.constructor = globalThis.Date;
  Object.defineProperty(Performance.prototype, "timeOrigin", { get: () => zero, configurable: true });
}
