function () {
  let element = this.nodeType === 1 ? this : this.parentElement;
  if (!element) return null;
  const parts = [];
  for (let at = element; at && at.nodeType === 1 && parts.length < 5; at = at.parentElement) {
    if (at.id && /^[A-Za-z][\w-]*$/.test(at.id)) { parts.unshift('#' + at.id); break; }
    let part = at.localName;
    const classes = [...at.classList].filter((c) => /^[A-Za-z][\w-]*$/.test(c)).slice(0, 2);
    if (classes.length) part += '.' + classes.join('.');
    parts.unshift(part);
    try { if (document.querySelectorAll(parts.join(' > ')).length === 1) break; } catch { break; }
  }
  const clone = element.cloneNode(false);
  const tag = clone.outerHTML.replace(/<\/[a-z0-9-]+>$/i, '');
  const box = element.getBoundingClientRect();
  // How its text is set, each way once, with the letters that are.
  const texts = new Map();
  const walker = document.createTreeWalker(element, NodeFilter.SHOW_TEXT);
  for (let seen = 0; seen < 200 && walker.nextNode(); seen++) {
    const words = walker.currentNode.data.replace(/\s+/g, '');
    if (!words) continue;
    const style = getComputedStyle(walker.currentNode.parentElement);
    const key = JSON.stringify([style.fontFamily, style.fontWeight, style.fontStyle]);
    const letters = texts.get(key) ?? new Set();
    for (const letter of words.slice(0, 500)) letters.add(letter);
    texts.set(key, letters);
  }
  const background = /url\("([^"]+)"\)/.exec(getComputedStyle(element).backgroundImage);
  return {
    tag: element.localName,
    selector: parts.join(' > '),
    snippet: tag.length > 300 ? tag.slice(0, 299) + '…' : tag,
    url: element.currentSrc || (element.localName === 'image' ? element.href.baseVal : '') || (element.poster || '') || (background ? background[1] : null) || null,
    rect: { x: box.x + scrollX, y: box.y + scrollY, width: box.width, height: box.height },
    texts: [...texts].slice(0, 20).map(([key, letters]) => {
      const [families, weight, style] = JSON.parse(key);
      return { families, weight, style, letters: [...letters].join('') };
    }),
  };
}
