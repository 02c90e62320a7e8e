// What a step of a rehearsal does on a page of a real browser. It is the value of an expression: (kind, on, text) => error text or ''.
(kind, on, text) => {
  const read = (e) => (e.getAttribute('aria-label') || e.innerText || e.value || '').replace(/\s+/g, ' ').trim();
  const bySelector = () => {
    try {
      return document.querySelector(on);
    } catch {
      return null;
    }
  };
  const byText = (selector) => [...document.querySelectorAll(selector)].find((e) => e.getClientRects().length > 0 && read(e) === on);
  const field = () => {
    const label = [...document.querySelectorAll('label')].find((e) => read(e) === on);
    return bySelector() ?? label?.control ?? [...document.querySelectorAll('input, textarea, select')].find((e) => e.placeholder === on || e.name === on || e.getAttribute('aria-label') === on);
  };
  const changed = (e) => {
    for (const type of ['input', 'change']) e.dispatchEvent(new Event(type, { bubbles: true }));
    return '';
  };
  if (kind === 'follow') {
    const bare = (url) => url.replace(/\/$/, '');
    const link = [...document.querySelectorAll('a[href]')].find((e) => bare(e.href) === bare(on) && e.getClientRects().length > 0);
    if (!link) return `there is no link to ${on}`;
    link.click();
    return '';
  }
  if (kind === 'click') {
    const e = bySelector() ?? byText('a, button, summary, label, input, [role], [onclick]') ?? byText('*');
    if (!e) return `there is nothing to click: ${on}`;
    e.click();
    return '';
  }
  if (kind === 'submit') {
    const e = bySelector() ?? byText('button, input');
    const form = on ? e?.closest('form') : document.forms[0];
    if (!form) return on ? `there is no form ${on}` : 'there is no form';
    form.requestSubmit();
    return '';
  }
  const e = field();
  if (!e) return `there is no field ${on}`;
  if (kind === 'type') {
    e.focus();
    const prototype = e.localName === 'textarea' ? HTMLTextAreaElement : HTMLInputElement;
    Object.getOwnPropertyDescriptor(prototype.prototype, 'value').set.call(e, text); // past libraries that replace the property
    return changed(e);
  }
  const option = [...(e.options ?? [])].find((o) => o.text.trim() === text || o.value === text);
  if (!option) return `${on} has no option ${text}`;
  option.selected = true;
  return changed(e);
}
