// HTML, 4.10: controls, their values and validity.
const field = (html) => place(html).firstElementChild;
probe('values of kinds', () => ['text', 'number', 'range', 'color', 'date', 'time', 'email', 'checkbox', 'hidden', 'submit'].map((t) => { const i = field(`<input type=${t} value="abc">`); return i.value; }));
probe('sanitizing', () => [['number', '1e3'], ['number', 'x'], ['date', '2026-02-30'], ['date', '2026-02-28'], ['time', '25:00'], ['color', '#ABCDEF'], ['url', '  a '], ['text', 'a\nb'], ['month', '2026-13'], ['week', '2026-W05'], ['datetime-local', '2026-01-05T10:00']].map(([t, v]) => { const i = document.createElement('input'); i.type = t; i.value = v; return i.value; }));
probe('valueAsNumber', () => { const i = field('<input type=number value=5>'); i.valueAsNumber = 7; return [i.value, i.valueAsNumber, field('<input>').valueAsNumber]; });
probe('valueAsDate', () => { const i = field('<input type=date value=2026-01-05>'); return [i.valueAsDate.toISOString(), i.valueAsNumber]; });
probe('steps', () => { const i = field('<input type=number value=5 step=2 min=1>'); i.stepUp(); const a = i.value; i.stepDown(3); return [a, i.value]; });
probe('range', () => [field('<input type=range>').value, field('<input type=range min=10 max=20 value=50>').value]);
probe('changing the type', () => { const i = field('<input value="x y">'); i.type = 'number'; const a = i.value; i.type = 'text'; return [a, i.value]; });
probe('validity', () => { const i = field('<input required>'); const v = i.validity; const before = [v.valid, v.valueMissing, i.checkValidity(), i.willValidate]; i.value = 'x'; return [...before, v.valid, i.checkValidity()]; });
for (const [what, html] of Object.entries({ 'too high': '<input type=number max=3 value=4>', 'too low': '<input type=number min=3 value=2>', step: '<input type=number step=2 value=3>', pattern: '<input pattern="[a-z]+" value=A1>', email: '<input type=email value=nobody>', url: '<input type=url value=x>', select: '<select required><option value="">-<option>a</select>', textarea: '<textarea required></textarea>', checkbox: '<input type=checkbox required>', radio: '<input type=radio name=v1 required>', 'long, by markup': '<input maxlength=2 value=abcd>', good: '<input type=email value=a@b.example>', disabled: '<input required disabled>', readonly: '<input required readonly>' }))
  probe(`validity: ${what}`, () => { const e = field(html); const out = []; for (const k in e.validity) if (e.validity[k]) out.push(k); return [out, e.checkValidity()]; });
probe('custom validity', () => { const i = field('<input>'); i.setCustomValidity('no'); const a = [i.validity.customError, i.validationMessage, i.checkValidity()]; i.setCustomValidity(''); return [...a, i.validity.valid]; });
probe('form validity', () => { const f = field('<form><input required name=a><input name=b></form>'); const before = f.checkValidity(); f.a.value = 'x'; return [before, f.checkValidity(), f.matches(':valid')]; });
probe('elements', () => { const f = field('<form id=ff><input name=a><fieldset><select name=b></select></fieldset><button name=c></button><output name=d></output><img name=e></form><input form=ff name=g>'); return [f.elements.length, [...f.elements].map((e) => e.name), f.length, f.a.name, f.elements.b.localName, f.g && f.g.name]; });
probe('radio lists', () => { const f = field('<form><input type=radio name=r value=1><input type=radio name=r value=2 checked></form>'); return [f.elements.r.length, f.elements.r.value, (f.elements.r.value = '1', f.r[0].checked)]; });
probe('FormData', () => { const f = field('<form><input name=a value=1><input name=b disabled value=2><input type=checkbox name=c><input type=checkbox name=d checked><select name=e multiple><option selected>x<option selected>y<option>z</select><textarea name=f>t</textarea><input value=none><button name=g value=h></button><input type=file name=i></form>'); return [...new FormData(f)].map(([k, v]) => [k, typeof v === 'string' ? v : `${v.name}|${v.size}`]); });
probe('FormData by hand', () => { const d = new FormData(); d.append('a', 1); d.append('a', 2); d.set('b', 'x'); d.delete('b'); return [d.getAll('a'), d.get('a'), d.has('b'), [...d.keys()]]; });
probe('FormData of nothing', () => new FormData(document.createElement('p')));
probe('the formdata event', () => { const f = field('<form><input name=a value=1></form>'); f.addEventListener('formdata', (e) => e.formData.append('b', '2')); return [...new FormData(f)]; });
probe('URLSearchParams of a form', () => { const f = field('<form><input name=a value="x y"><input name=b value=&amp;></form>'); return new URLSearchParams(new FormData(f)).toString(); });
probe('select', () => { const s = field('<select><option>a<option selected>b<optgroup label=g><option value=3>c</optgroup></select>'); const out = [s.value, s.selectedIndex, s.length, s.options[2].parentNode.localName, s.multiple]; s.selectedIndex = 2; return [...out, s.value, s.options[1].selected, s.options[1].defaultSelected]; });
probe('select without a choice', () => { const s = field('<select><option>a<option>b</select>'); s.value = 'none'; return [s.selectedIndex, s.value]; });
probe('select with options by script', () => { const s = document.createElement('select'); s.add(new Option('a', '1')); s.options[1] = new Option('b', '2', true, true); s.add(new Option('c', '3'), 0); return [s.innerHTML, s.value]; });
probe('removing options', () => { const s = field('<select><option>a<option>b<option>c</select>'); s.remove(0); s.options.length = 1; return [s.innerHTML.replace(/\s/g, ''), s.value]; });
probe('select multiple', () => { const s = field('<select multiple><option>a<option>b<option>c</select>'); s.options[0].selected = s.options[2].selected = true; return [[...s.selectedOptions].map((o) => o.value), s.value, s.type]; });
probe('textarea', () => { const t = field('<textarea>\nab\ncd</textarea>'); const a = [t.value, t.defaultValue, t.textLength]; t.value = 'x\r\ny'; return [...a, t.value, t.textContent]; });
probe('selections', () => { const i = field('<input value=harbour>'); i.setSelectionRange(2, 4); const a = [i.selectionStart, i.selectionEnd, i.selectionDirection]; i.setRangeText('X'); return [...a, i.value]; });
probe('no selections in checkboxes', () => field('<input type=checkbox>').setSelectionRange(0, 1));
probe('labels', () => { const r = place('<label>a<input id=lb></label><label for=lb>b</label>'); return [r.querySelector('input').labels.length, r.firstChild.control.id, r.lastChild.control.id]; });
probe('fieldsets', () => { const f = field('<fieldset disabled><legend><input id=l1></legend><input id=l2></fieldset>'); return [f.querySelector('#l1').matches(':disabled'), f.querySelector('#l2').matches(':disabled'), f.querySelector('#l2').disabled, f.elements.length]; });
probe('form of controls', () => { const f = field('<form id=o1><input></form>'); const b = place('<button form=o1></button>').firstChild; return [f.firstChild.form === f, b.form === f, field('<input>').form, b.type]; });
probe('actions', () => { const f = field('<form action="/go?x"><button formaction=/other></button></form>'); return [f.action.replace(location.origin, ''), f.firstChild.formAction.replace(location.origin, ''), field('<form>').action === location.href, f.method, f.target]; });
probe('datalist and output', () => { const r = place('<input list=dl><datalist id=dl><option value=a><option value=b></datalist><output>x</output>'); const o = r.lastChild; o.value = 'y'; return [r.firstChild.list.options.length, o.textContent, o.defaultValue, o.type]; });
probe('files', () => { const i = field('<input type=file multiple>'); return [i.files.length, i.value, String(i.files)]; });
probe('files by script', () => { field('<input type=file>').value = 'x'; });
probe('buttons', () => [field('<button>').type, field('<button type=reset>').type, field('<input type=image>').type, field('<button value=v>x').value]);
probe('checkbox values', () => { const c = field('<input type=checkbox>'); const a = [c.value, c.indeterminate]; c.indeterminate = true; return [...a, c.matches(':indeterminate'), c.checked]; });
probe('dialogs', () => { const d = field('<dialog><form method=dialog><button value=yes>ok</button></form></dialog>'); d.showModal(); const open = d.open; return new Promise((done) => { d.addEventListener('close', () => done([open, d.open, d.returnValue])); d.querySelector('button').click(); }); });
probe('a dialog that is shown twice', () => { const d = field('<dialog></dialog>'); d.showModal(); d.showModal(); });
probe('popovers', () => { const p = field('<div popover>x</div>'); return [p.popover, typeof p.showPopover]; });
probe('inputs tell of typing', () => { const i = field('<input>'); const out = []; i.oninput = () => out.push('input'); i.onchange = () => out.push('change'); i.value = 'by script'; return out; });
probe('what a form in a form does', () => {
  const outer = place('<form><p></p></form>').firstChild;
  const inner = document.createElement('form');
  inner.innerHTML = '<button>x</button><button type=reset>y</button><input>';
  outer.firstChild.append(inner);
  const heard = [];
  for (const type of ['submit', 'reset', 'click']) {
    for (const [name, at] of [['inner', inner], ['p', outer.firstChild], ['outer', outer], ['around', outer.parentNode]]) at.addEventListener(type, (e) => {
      heard.push(`${name} ${type}`);
      if (type === 'submit') e.preventDefault();
    });
    outer.addEventListener(type, () => heard.push(`captured ${type}`), true);
  }
  inner.firstChild.click();
  inner.children[1].click();
  return heard;
});
