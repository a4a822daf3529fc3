#include "report/page_parts.h"

namespace omnistasis::report {

const char* const page_style = R"css(
:root { color-scheme: light dark; --ground: #fbfaf7; --card: #ffffff; --text: #1d2430; --soft: #4d5766; --line: #d5d8dd;
  --link: #00558c; --good: #00664a; --bad: #a83200; --open: #6b5200; }
@media (prefers-color-scheme: dark) { :root { --ground: #14181f; --card: #1d232c; --text: #e6e9ee; --soft: #b3bcc9;
  --line: #3a4350; --link: #8cc8f5; --good: #5fd3a8; --bad: #ff9d73; --open: #e8c96a; } }
* { box-sizing: border-box; }
html { scroll-padding-top: 1rem; }
body { margin: 0; background: var(--ground); color: var(--text); font: 16px/1.5 'DejaVu Sans', 'Segoe UI', Roboto, sans-serif; }
header, main, nav, footer { max-width: 78rem; margin: 0 auto; padding: 0 1.25rem; }
header { padding-top: 1.5rem; }
h1 { font-size: 1.9rem; margin: 0 0 .4rem; overflow-wrap: anywhere; }
h2 { font-size: 1.3rem; margin: 2.4rem 0 .8rem; border-bottom: 2px solid var(--line); padding-bottom: .3rem; }
a { color: var(--link); }
a:focus-visible, button:focus-visible, input:focus-visible, .scroll:focus-visible { outline: 3px solid var(--link); outline-offset: 2px; }
.skip { position: absolute; left: -99rem; } .skip:focus { left: 1rem; top: 1rem; background: var(--card); padding: .5rem; }
nav ul { list-style: none; padding: 0; margin: .8rem 0; display: flex; flex-wrap: wrap; gap: .3rem 1.2rem; }
nav a { display: inline-block; padding: .25rem 0; }
.cards { list-style: none; display: flex; flex-wrap: wrap; gap: .8rem; padding: 0; margin: 1rem 0 0; }
.cards li { background: var(--card); border: 1px solid var(--line); border-left: 5px solid var(--line); padding: .6rem 1rem; border-radius: 4px; }
.cards strong { display: block; font-size: 1.15rem; } .cards span { color: var(--soft); }
.cards .good { border-left-color: var(--good); } .cards .bad { border-left-color: var(--bad); } .cards .open { border-left-color: var(--open); }
p.good { color: var(--good); } p.bad { color: var(--bad); } p.open { color: var(--open); }
.scroll { overflow-x: auto; margin: .8rem 0 1.2rem; }
.picture { background: #ffffff; border: 1px solid var(--line); border-radius: 4px; max-height: 48rem; overflow: auto; }
.picture svg { display: block; } .picture text { font: 12px 'DejaVu Sans', sans-serif; fill: #222222; }
.picture text.box { font-family: 'DejaVu Sans Mono', monospace; text-anchor: middle; } .picture text.title { font: bold 16px 'DejaVu Sans', sans-serif; }
.picture text.end { text-anchor: end; } .picture text.middle { text-anchor: middle; }
figure { margin: 0; } figcaption { color: var(--soft); font-size: .9rem; }
table { border-collapse: collapse; width: 100%; background: var(--card); font-size: .92rem; }
caption { text-align: left; font-weight: bold; padding: .4rem 0; }
th, td { text-align: left; vertical-align: top; padding: .35rem .6rem; border-bottom: 1px solid var(--line); }
thead th { border-bottom: 2px solid var(--line); white-space: nowrap; overflow-wrap: normal; }
th[scope=row] { font-weight: 600; min-width: 9rem; } td.n, th.n { text-align: right; white-space: nowrap; }
th[scope=row], code { overflow-wrap: anywhere; }
code { font: .9em 'DejaVu Sans Mono', Consolas, monospace; }
dt { font-weight: 600; margin-top: .5rem; } dd { margin: 0 0 0 1.2rem; }
.search { display: flex; flex-wrap: wrap; gap: .6rem; align-items: center; }
input { font: inherit; padding: .4rem .6rem; border: 1px solid var(--soft); border-radius: 4px; background: var(--card); color: var(--text); min-width: min(20rem, 100%); }
button.why { font: inherit; font-size: .85rem; border: 1px solid var(--soft); border-radius: 4px; background: none; color: var(--link); cursor: pointer; padding: .1rem .5rem; }
ol.chain { margin: .4rem 0 0; padding-left: 1.4rem; }
#all-parts tbody tr { content-visibility: auto; }
footer { color: var(--soft); font-size: .9rem; padding-bottom: 2rem; }
@media (max-width: 40rem) { body { font-size: 15px; } h1 { font-size: 1.5rem; } th[scope=row] { min-width: 6.5rem; } th, td { padding: .3rem .4rem; } }
@media print { :root { --ground: #fff; --card: #fff; --text: #000; --soft: #333; --line: #bbb; --link: #000; --good: #000; --bad: #000; --open: #000; }
  body { font-size: 10pt; } nav, .skip, .search, button.why { display: none; } .scroll, .picture { overflow: visible; max-height: none; border: 0; }
  .picture svg { max-width: 100%; height: auto; } h2 { break-after: avoid; } tr, figure { break-inside: avoid; } thead { display: table-header-group; } }
)css";

const char* const page_script = R"js(
const rows = [...document.querySelectorAll('#all-parts tbody tr')];
const words = rows.map((row) => row.textContent.toLowerCase());
const find = document.getElementById('find');
const found = document.getElementById('found');
let waits = 0;
if (find) find.addEventListener('input', () => {
  clearTimeout(waits);
  waits = setTimeout(() => {
    const wanted = find.value.trim().toLowerCase().split(/\s+/).filter(Boolean);
    let count = 0;
    rows.forEach((row, i) => {
      const fits = wanted.every((word) => words[i].includes(word));
      row.hidden = !fits;
      count += fits;
    });
    found.textContent = count + (count === 1 ? ' part' : ' parts');
  }, 120);
});
document.addEventListener('click', (event) => {
  const button = event.target.closest && event.target.closest('button.why');
  if (!button) return;
  const open = button.getAttribute('aria-expanded') === 'true';
  button.setAttribute('aria-expanded', String(!open));
  if (open) { button.nextElementSibling.remove(); return; }
  const steps = [];
  for (let unit = Number(button.dataset.unit); facts.by[unit] >= 0 && steps.length < facts.by.length; unit = facts.by[unit]) {
    const file = facts.texts[facts.files[unit]];
    const at = file ? ', ' + file + (facts.lines[unit] ? ':' + facts.lines[unit] : '') : '';
    steps.unshift(facts.names[facts.by[unit]] + ' ' + facts.texts[facts.verbs[unit]] + ' ' + facts.names[unit] + at);
  }
  const list = document.createElement('ol');
  list.className = 'chain';
  for (const step of steps) list.appendChild(document.createElement('li')).textContent = step;
  button.after(list);
});
)js";

} // namespace omnistasis::report
