'use strict';
(function () {
  var root = document.documentElement, base = document.body.dataset.root || '';
  root.classList.add('js');
  var find = document.getElementById('find'), list = document.getElementById('found'), at = -1, shown = [];
  var things = null, asked = false;

  // What is searched is fetched when somebody wants to know.
  function ready(then) {
    if (things) return then();
    if (typeof found !== 'undefined' && Array.isArray(window.found)) { prepare(); return then(); }
    if (asked) return;
    asked = true;
    var s = document.createElement('script');
    s.src = base + 'find.js';
    s.onload = function () { prepare(); then(); };
    document.head.appendChild(s);
  }
  function prepare() {
    things = window.found.map(function (t) { return {t: t, name: t[0].toLowerCase(), all: (t[0] + ' ' + t[1] + ' ' + t[3]).toLowerCase()}; });
  }

  function search() {
    var words = find.value.toLowerCase().split(/\s+/).filter(Boolean);
    at = -1; shown = [];
    if (!words.length || !things) return show(0);
    var ranks = [[], [], [], []], n = 0;
    for (var i = 0; i < things.length; i++) {
      var x = things[i], is = true;
      for (var w = 0; is && w < words.length; w++) is = x.all.indexOf(words[w]) >= 0;
      if (!is) continue;
      n++;
      var bare = x.name.slice(x.name.lastIndexOf('.') + 1);
      var rank = x.name === words[0] || bare === words[0] ? 0 : bare.indexOf(words[0]) === 0 ? 1 : x.name.indexOf(words[0]) >= 0 ? 2 : 3;
      if (ranks[rank].length < 40) ranks[rank].push(x.t);
    }
    shown = ranks[0].concat(ranks[1], ranks[2], ranks[3]).slice(0, 40);
    show(n);
  }

  function show(n) {
    list.textContent = '';
    shown.forEach(function (t, i) {
      var li = document.createElement('li'), a = document.createElement('a'), small = document.createElement('small');
      li.setAttribute('role', 'option'); li.id = 'found-' + i; li.setAttribute('aria-selected', 'false');
      a.href = t[2].charAt(0) === '#' ? t[2] : base + t[2];
      a.tabIndex = -1;
      a.textContent = t[0] + ' ';
      small.textContent = t[1] + (t[3] ? ' · ' + (t[3].length > 90 ? t[3].slice(0, 90) + '…' : t[3]) : '');
      a.appendChild(small); li.appendChild(a); list.appendChild(li);
    });
    var words = find.value.trim();
    if (words && n !== shown.length || words && !n) {
      var rest = document.createElement('li');
      rest.className = 'rest'; rest.setAttribute('role', 'presentation');
      rest.textContent = n ? 'and ' + (n - shown.length) + ' more' : 'nothing is called so';
      list.appendChild(rest);
    }
    list.hidden = !words;
    find.setAttribute('aria-expanded', words ? 'true' : 'false');
    find.removeAttribute('aria-activedescendant');
  }

  function pick(i) {
    var all = list.querySelectorAll('[role=option]');
    if (!all.length) return;
    if (at >= 0) all[at].setAttribute('aria-selected', 'false');
    at = (i + all.length) % all.length;
    all[at].setAttribute('aria-selected', 'true');
    all[at].scrollIntoView({block: 'nearest'});
    find.setAttribute('aria-activedescendant', all[at].id);
  }
  function close() { find.value = ''; shown = []; show(0); }

  find.addEventListener('focus', function () { ready(search); });
  find.addEventListener('input', function () { ready(search); });
  find.addEventListener('keydown', function (e) {
    if (e.key === 'ArrowDown') { e.preventDefault(); pick(at + 1); }
    else if (e.key === 'ArrowUp') { e.preventDefault(); pick(at < 0 ? -1 : at - 1); }
    else if (e.key === 'Enter') { var a = list.querySelectorAll('[role=option] a')[Math.max(at, 0)]; if (a) { location.href = a.href; close(); find.blur(); } }
    else if (e.key === 'Escape') { close(); find.blur(); }
  });
  list.addEventListener('click', function (e) { if (e.target.closest('a')) setTimeout(close, 0); });
  document.addEventListener('click', function (e) { if (!e.target.closest('.search')) list.hidden = true; });
  document.addEventListener('keydown', function (e) {
    if (e.key === '/' && !e.ctrlKey && !e.metaKey && !/^(INPUT|TEXTAREA)$/.test(e.target.tagName)) { e.preventDefault(); find.focus(); }
  });

  // Without a store the choice is forgotten with the page.
  function kept(v) { try { if (v) localStorage.setItem('dapper-mirror-light', v); return localStorage.getItem('dapper-mirror-light'); } catch (e) { return null; } }
  function light(v) { root.classList.toggle('dark', v === 'dark'); root.classList.toggle('light', v === 'light'); }
  light(kept());
  document.getElementById('light').addEventListener('click', function () {
    var dark = root.classList.contains('dark') || !root.classList.contains('light') && matchMedia('(prefers-color-scheme: dark)').matches;
    light(dark ? 'light' : 'dark'); kept(dark ? 'light' : 'dark');
  });
  document.querySelectorAll('.fit').forEach(function (b) {
    b.addEventListener('click', function () {
      var on = b.parentNode.previousElementSibling.classList.toggle('fitted');
      b.textContent = on ? 'as large as it is' : 'fit to the page';
    });
  });
  document.querySelectorAll('.copy').forEach(function (b) {
    b.addEventListener('click', function () {
      var text = b.nextElementSibling.textContent;
      function said() { b.textContent = 'copied'; setTimeout(function () { b.textContent = 'copy'; }, 1200); }
      if (navigator.clipboard) return navigator.clipboard.writeText(text).then(said, other);
      other();
      function other() {
        var t = document.createElement('textarea');
        t.value = text; document.body.appendChild(t); t.select();
        try { document.execCommand('copy'); said(); } finally { t.remove(); }
      }
    });
  });
})();
