// Read once, after the load: what the page listens to, by element and event. It tells whether handlers that
// one load had are missing in another; elements are named without their place among others, which moves.
(() => {
  const MOST_ELEMENTS = 5000;
  const MOST_NAMES = 400;
  const names = new Set();
  const steady = (word) => /^[A-Za-z][A-Za-z_-]*$/.test(word);
  const nameOf = (element) => {
    const part = (e) => e.localName + (e.id && steady(e.id) ? '#' + e.id : '');
    return element.parentElement ? `${part(element.parentElement)} > ${part(element)}` : part(element);
  };
  const add = (target, name) => {
    const found = getEventListeners(target);
    for (const type of Object.keys(found)) if (found[type].length && names.size < MOST_NAMES) names.add(`${type} on ${name}`);
  };
  add(window, 'the window');
  add(document, 'the document');
  const elements = document.getElementsByTagName('*');
  for (let i = 0; i < Math.min(elements.length, MOST_ELEMENTS); i++) add(elements[i], nameOf(elements[i]));
  return [...names].sort();
})()
