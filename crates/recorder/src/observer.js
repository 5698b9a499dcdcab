// In a world of its own, from the document's start: what the browser tells a page about itself.
(() => {
  if (globalThis !== globalThis.top) return;
  const told = (globalThis.__observed = { cls: 0, supported: true, longTaskEnd: 0 });
  let sum = 0, first = 0, last = 0;
  const watch = (type, take) => {
    try {
      new PerformanceObserver((list) => list.getEntries().forEach(take)).observe({ type, buffered: true });
    } catch {
      told.supported = false;
    }
  };
  watch('paint', (e) => { if (e.name === 'first-contentful-paint') Object.assign(told, { fcp: e.startTime, fcpPaint: e.paintTime, fcpShown: e.presentationTime }); });
  watch('largest-contentful-paint', (e) => { Object.assign(told, { lcp: e.startTime, lcpPaint: e.paintTime, lcpShown: e.presentationTime }); });
  watch('layout-shift', (e) => {
    if (e.hadRecentInput) return;
    if (sum && e.startTime - last < 1000 && e.startTime - first < 5000) sum += e.value;
    else { sum = e.value; first = e.startTime; }
    last = e.startTime;
    told.cls = Math.max(told.cls, sum);
  });
  watch('longtask', (e) => { told.longTaskEnd = Math.max(told.longTaskEnd, e.startTime + e.duration); });
})()
