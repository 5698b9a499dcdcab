// Read once, in a world of its own, after the load: facts about the document that the trace does not tell.
(() => {
  const selectorOf = (element) => {
    const parts = [];
    for (let at = element; at && at.nodeType === 1 && parts.length < 5; at = at.parentElement) {
      if (at.id && /^[A-Za-z][\w-]*$/.test(at.id)) {
        parts.unshift('#' + at.id);
        break;
      }
      let part = at.localName;
      const classes = [...at.classList].filter((c) => /^[A-Za-z][\w-]*$/.test(c)).slice(0, 2);
      if (classes.length) part += '.' + classes.join('.');
      else if (at.parentElement && [...at.parentElement.children].filter((c) => c.localName === at.localName).length > 1) {
        part += `:nth-of-type(${[...at.parentElement.children].filter((c) => c.localName === at.localName).indexOf(at) + 1})`;
      }
      parts.unshift(part);
      try {
        if (document.querySelectorAll(parts.join(' > ')).length === 1) break;
      } catch {
        break;
      }
    }
    return parts.join(' > ');
  };
  const boxOf = (element) => {
    const box = element.getBoundingClientRect();
    return { x: box.x + scrollX, y: box.y + scrollY, width: box.width, height: box.height };
  };
  const hiddenOf = (element, box) => box.width * box.height === 0 || getComputedStyle(element).visibility === 'hidden';
  const sizedOf = (image) => {
    if (image.hasAttribute('width') && image.hasAttribute('height')) return true;
    try {
      const style = image.computedStyleMap();
      const set = (name) => !['auto', 'none'].includes(String(style.get(name)));
      if (set('aspect-ratio')) return true;
      return set('height') && set('width');
    } catch {
      return false;
    }
  };
  // Out of the flow nothing makes room for it, so its coming moves nothing.
  const floatingOf = (element) => {
    for (let at = element; at && at.nodeType === 1; at = at.parentElement) {
      if (['absolute', 'fixed'].includes(getComputedStyle(at).position)) return true;
    }
    return false;
  };
  const images = [];
  for (const image of [...document.images].slice(0, 2000)) {
    const box = boxOf(image);
    images.push({
      url: image.currentSrc || image.src, selector: selectorOf(image), rect: box,
      natural_width: image.naturalWidth, natural_height: image.naturalHeight,
      sized: sizedOf(image), lazy: image.loading === 'lazy', hidden: hiddenOf(image, box), background: false,
      out_of_flow: floatingOf(image), fit: getComputedStyle(image).objectFit,
    });
  }
  const elements = document.getElementsByTagName('*');
  for (let i = 0; i < Math.min(elements.length, 4000); i++) {
    const found = /url\("([^"]+)"\)/.exec(getComputedStyle(elements[i]).backgroundImage);
    if (!found || found[1].startsWith('data:')) continue;
    const box = boxOf(elements[i]);
    images.push({
      url: found[1], selector: selectorOf(elements[i]), rect: box, natural_width: 0, natural_height: 0,
      sized: true, lazy: false, hidden: hiddenOf(elements[i], box), background: true,
    });
  }
  const told = globalThis.__observed || {};
  return {
    facts: { title: document.title, images, elements: elements.length, height: document.documentElement?.scrollHeight ?? 0 },
    observed: {
      fcp_ms: told.fcp ?? null, lcp_ms: told.lcp ?? null, cls: told.supported ? told.cls : null,
      fcp_paint_ms: told.fcpPaint ?? null, lcp_paint_ms: told.lcpPaint ?? null,
      fcp_presentation_ms: told.fcpShown ?? null, lcp_presentation_ms: told.lcpShown ?? null,
    },
  };
})()
