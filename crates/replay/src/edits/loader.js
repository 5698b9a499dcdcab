// Runs scripts of type "text/held" once somebody touches the page, in their order, and hands on what
// was done meanwhile.
(() => {
  const wakers = ["pointerdown", "touchstart", "keydown", "wheel"];
  const done = [];
  let awake = false;

  const keep = (event) => {
    if (!event.isTrusted) return;
    done.push([event.type, event.target, event]);
    if (event.cancelable) event.preventDefault();
    event.stopImmediatePropagation();
  };

  const handOn = () => {
    for (const type of ["click", "keydown", "keyup"]) removeEventListener(type, keep, true);
    for (const [type, target, event] of done) {
      if (!target.isConnected) continue;
      if (type === "click" && target.click) target.click();
      else target.dispatchEvent(new event.constructor(type, event));
    }
  };

  // A script that comes late still waits for what the document has long told.
  const late = (holder, names) => {
    const add = holder.addEventListener;
    holder.addEventListener = function (name, listener, ...rest) {
      if (!names.includes(name)) return add.call(this, name, listener, ...rest);
      const call = typeof listener === "function" ? listener : listener && listener.handleEvent.bind(listener);
      if (call) setTimeout(() => call.call(holder, new Event(name)), 0);
    };
    return () => (holder.addEventListener = add);
  };

  const run = (held) =>
    new Promise((next) => {
      const script = document.createElement("script");
      for (const { name, value } of held.attributes) {
        if (name === "type" || name === "data-held-src" || name === "data-held-type") continue;
        script.setAttribute(name, value);
      }
      if (held.dataset.heldType) script.type = held.dataset.heldType;
      script.async = false;
      if (held.dataset.heldSrc === undefined) {
        script.text = held.text;
        held.replaceWith(script);
        next();
      } else {
        script.onload = script.onerror = () => next();
        script.src = held.dataset.heldSrc;
        held.replaceWith(script);
      }
    });

  const wake = async () => {
    if (awake) return;
    awake = true;
    for (const type of wakers) removeEventListener(type, wake, true);
    for (const type of ["click", "keydown", "keyup"]) addEventListener(type, keep, true);
    if (document.readyState === "loading") await new Promise((go) => addEventListener("DOMContentLoaded", go));
    const all = [...document.querySelectorAll('script[type="text/held"]')];
    for (const held of all) {
      if (held.dataset.heldSrc === undefined) continue;
      const hint = document.createElement("link");
      hint.rel = "preload";
      hint.as = "script";
      hint.href = held.dataset.heldSrc;
      if (held.crossOrigin !== null) hint.crossOrigin = held.crossOrigin;
      document.head.append(hint);
    }
    const back = [late(document, ["DOMContentLoaded", "readystatechange"]), late(window, ["DOMContentLoaded", "load"])];
    for (const held of all) await run(held);
    back.forEach((b) => b());
    setTimeout(handOn, 0);
  };

  // The key that wakes the page is handed on too; a pointer's click comes after it by itself.
  addEventListener("keydown", (event) => awake || keep(event), { capture: true, once: true });
  for (const type of wakers) addEventListener(type, wake, { capture: true, passive: true });
})();
