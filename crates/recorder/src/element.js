function (nodes, ...animated) {
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
  // How text is set, each way once, with the letters that are.
  const set = (texts, words, style) => {
    const key = JSON.stringify([style.fontFamily, style.fontWeight, style.fontStyle]);
    const letters = texts.get(key) ?? new Set();
    for (const letter of words.replace(/\s+/g, '').slice(0, 500)) letters.add(letter);
    if (letters.size) texts.set(key, letters);
  };
  const told = (texts) => [...texts].slice(0, 20).map(([key, letters]) => {
    const [families, weight, style] = JSON.parse(key);
    return { families, weight, style, letters: [...letters].join('') };
  });
  const texts = new Map();
  const walker = document.createTreeWalker(element, NodeFilter.SHOW_TEXT);
  for (let seen = 0; seen < 200 && walker.nextNode(); seen++) {
    const node = walker.currentNode;
    if (/\S/.test(node.data)) set(texts, node.data, getComputedStyle(node.parentElement));
  }
  // What stands in an element before another, all of it and what floats beside that: words, and what the style puts in.
  const before = (around) => {
    const [all, floats] = [new Map(), new Map()];
    const walker = document.createTreeWalker(around, NodeFilter.SHOW_TEXT | NodeFilter.SHOW_ELEMENT);
    // What floats beside the other: in a card of its own it leaves that where it is.
    const beside = (at) => getComputedStyle(at).float !== 'none' && at.parentElement.contains(element);
    const float = (at) => at !== around && (beside(at) || float(at.parentElement));
    for (let seen = 0; seen < 2000 && around !== element && walker.nextNode() && walker.currentNode !== element; seen++) {
      const node = walker.currentNode;
      const parts = node.nodeType === 3
        ? [[node.data, getComputedStyle(node.parentElement)]]
        : ['::before', '::after'].map((part) => getComputedStyle(node, part))
          .map((style) => [(/^"(.*)"/.exec(style.content) ?? [])[1] ?? '', style]);
      for (const [words, style] of parts) {
        if (!/\S/.test(words)) continue;
        set(all, words, style);
        if (float(node.nodeType === 3 ? node.parentElement : node)) set(floats, words, style);
      }
    }
    return { before: told(all), floats: told(floats) };
  };
  // Of what was animated what it stands in, or is.
  const within = (at, place) => {
    // What the style puts in is animated, too, and holds nothing.
    if (at.nodeType !== 1 || !at.contains(element)) return [];
    // In force still although it is over: a fade that stays so is no change of what is to be painted.
    const stays = at.getAnimations().some((a) => {
      const frames = a.playState === 'finished' ? a.effect.getKeyframes() : [];
      return frames.some((frame) => 'opacity' in frame) && !frames.some((frame) => 'visibility' in frame);
    });
    return [{ node: nodes[place], stays, ...before(at) }];
  };
  const background = /url\("([^"]+)"\)/.exec(getComputedStyle(element).backgroundImage);
  return {
    tag: element.localName,
    selector: parts.join(' > '),
    snippet: tag.length > 300 ? tag.slice(0, 299) + '…' : tag,
    url: element.currentSrc || (element.localName === 'image' ? element.href.baseVal : '') || (element.poster || '') || (background ? background[1] : null) || null,
    rect: { x: box.x + scrollX, y: box.y + scrollY, width: box.width, height: box.height },
    texts: told(texts),
    words: element.textContent.slice(0, 1000).replace(/\s+/g, ' ').trim().slice(0, 80),
    animated: animated.flatMap(within),
  };
}
