'use strict';
(function () {
  var root = document.documentElement, all = Array.from(document.querySelectorAll('.object'));
  var find = document.getElementById('find'), shown = document.getElementById('shown');
  var states = Array.from(document.querySelectorAll('[data-status][aria-pressed]')), losing = document.getElementById('losing');
  var groups = Array.from(document.querySelectorAll('.group'));
  function pressed(b) { return b.getAttribute('aria-pressed') === 'true'; }
  function press(b, on) { b.setAttribute('aria-pressed', on ? 'true' : 'false'); }
  function set(o, on) {
    if (o.classList.contains('opened') === on) return;
    o.classList.toggle('opened', on);
    o.querySelector('.open').setAttribute('aria-expanded', on ? 'true' : 'false');
    if (on && pressed(beside)) two(o);
  }
  var text = all.map(function (o) { return o.dataset.find; });
  all.forEach(function (o) { o.querySelector('.open').setAttribute('aria-expanded', 'false'); });

  // Counts by kind and status stand above each comparison.
  Array.from(document.querySelectorAll('.comparison')).forEach(function (c) {
    var by = new Map();
    c.querySelectorAll('.object').forEach(function (o) {
      if (o.dataset.status === 'same') return;
      if (!by.has(o.dataset.kind)) by.set(o.dataset.kind, {'differs': 0, 'source-only': 0, 'target-only': 0});
      by.get(o.dataset.kind)[o.dataset.status]++;
    });
    var body = c.querySelector('.counts tbody');
    by.forEach(function (n, kind) {
      var r = body.insertRow(), h = document.createElement('th');
      h.scope = 'row'; h.textContent = kind; r.appendChild(h);
      ['differs', 'source-only', 'target-only'].forEach(function (s) { var d = r.insertCell(); d.className = 'n'; d.textContent = n[s]; });
    });
  });

  function filter() {
    var words = find.value.toLowerCase().split(/\s+/).filter(Boolean), on = {}, n = 0;
    states.forEach(function (b) { on[b.dataset.status] = pressed(b); });
    var only = pressed(losing);
    for (var i = 0; i < all.length; i++) {
      var o = all[i], is = on[o.dataset.status] && (!only || o.dataset.loses === '1');
      for (var w = 0; is && w < words.length; w++) is = text[i].indexOf(words[w]) >= 0;
      if (o.hidden === is) o.hidden = !is;
      if (is) n++;
    }
    document.querySelectorAll('.group').forEach(function (g) { g.hidden = !g.querySelector('.object:not([hidden])'); });
    shown.textContent = n === all.length ? n + ' shown' : n + ' of ' + all.length + ' shown';
  }
  find.addEventListener('input', filter);
  states.concat([losing]).forEach(function (b) { b.addEventListener('click', function () { press(b, !pressed(b)); filter(); }); });

  // By status: objects move to groups of their own; by kind they go home.
  var home = all.map(function (o) { return [o.parentNode, o.nextSibling]; });
  document.getElementById('group').addEventListener('change', function (e) {
    document.querySelectorAll('.by-status').forEach(function (g) { g.remove(); });
    if (e.target.value === 'kind') {
      for (var i = all.length - 1; i >= 0; i--) home[i][0].insertBefore(all[i], home[i][1]);
    } else {
      document.querySelectorAll('.comparison').forEach(function (c) {
        var mine = Array.from(c.querySelectorAll('.object'));
        [['differs', 'differ'], ['source-only', 'only in the source'], ['target-only', 'only in the target'], ['same', 'the same']].forEach(function (s) {
          var list = mine.filter(function (o) { return o.dataset.status === s[0]; });
          if (!list.length) return;
          var g = document.createElement('div'), h = document.createElement('h3'), n = document.createElement('small');
          g.className = 'group by-status'; h.textContent = s[1] + ' '; n.textContent = list.length; h.appendChild(n); g.appendChild(h);
          list.forEach(function (o) { g.appendChild(o); });
          c.appendChild(g);
        });
      });
    }
    filter();
  });

  var beside = document.getElementById('beside'), open = document.getElementById('all');
  // Side by side: what is common stands in both columns, what changed in its own.
  function two(o) {
    var pre = o.querySelector('.sql pre');
    if (!pre || pre.classList.contains('two')) return;
    pre.merged = pre.firstChild;
    var a = document.createElement('code'), b = document.createElement('code'), left = [], right = [];
    function even() {
      for (var d = left.length - right.length; d !== 0; d += d > 0 ? -1 : 1) {
        var gap = document.createElement('span'); gap.className = 'line'; gap.textContent = ' ';
        (d > 0 ? right : left).push(gap);
      }
      left.forEach(function (l) { a.appendChild(l); }); right.forEach(function (l) { b.appendChild(l); });
      left = []; right = [];
    }
    Array.from(pre.merged.children).forEach(function (l) {
      var c = l.cloneNode(true);
      if (l.classList.contains('goes')) { left.push(c); return; }
      if (l.classList.contains('comes')) { right.push(c); return; }
      even(); a.appendChild(c); b.appendChild(l.cloneNode(true));
    });
    even();
    pre.replaceChildren(a, b); pre.classList.add('two');
  }
  function one(o) {
    var pre = o.querySelector('.sql pre');
    if (pre && pre.classList.contains('two')) { pre.replaceChildren(pre.merged); pre.classList.remove('two'); }
  }
  beside.addEventListener('click', function () {
    press(beside, !pressed(beside));
    all.forEach(function (o) { if (!pressed(beside)) one(o); else if (o.classList.contains('opened')) two(o); });
  });
  open.addEventListener('click', function () { press(open, !pressed(open)); all.forEach(function (o) { if (!o.hidden) set(o, pressed(open)); }); });
  document.getElementById('light').addEventListener('click', function () {
    var dark = root.classList.contains('dark') || !root.classList.contains('light') && matchMedia('(prefers-color-scheme:dark)').matches;
    root.classList.toggle('dark', !dark); root.classList.toggle('light', dark);
  });

  function copy(b) {
    var sql = b.closest('.sql'), what = b.dataset.copy, t;
    t = JSON.parse(sql.querySelector({source: '.whole', target: '.whole-target', text: '.whole-text'}[what]).textContent);
    function said(ok) { var was = b.textContent; b.textContent = ok ? 'copied' : 'not copied'; setTimeout(function () { b.textContent = was; }, 1500); }
    function old() {
      var a = document.createElement('textarea'); a.value = t; document.body.appendChild(a); a.select();
      var ok = document.execCommand('copy'); a.remove(); said(ok);
    }
    if (navigator.clipboard) navigator.clipboard.writeText(t).then(function () { said(true); }, old); else old();
  }
  document.addEventListener('click', function (e) {
    var b = e.target.closest('button');
    if (!b) return;
    if (b.classList.contains('copy')) copy(b);
    else if (b.classList.contains('open')) { var o = b.closest('.object'); set(o, !o.classList.contains('opened')); }
  });

  function linked() {
    var name;
    try { name = decodeURIComponent(location.hash.slice(1)); } catch (e) { return; }
    var o = name && document.getElementById(name);
    if (o && o.classList.contains('object')) { o.hidden = false; if (o.parentNode.hidden) o.parentNode.hidden = false; set(o, true); o.scrollIntoView({block: 'start'}); o.querySelector('.open').focus({preventScroll: true}); }
  }
  addEventListener('hashchange', linked);

  function step(by) {
    var list = all.filter(function (o) { return !o.hidden; }), at = list.indexOf(document.activeElement && document.activeElement.closest('.object'));
    var next = list[Math.max(0, Math.min(list.length - 1, at + by))];
    if (next) next.querySelector('.open').focus();
  }
  document.addEventListener('keydown', function (e) {
    if (e.ctrlKey || e.metaKey || e.altKey) return;
    if (/^(INPUT|SELECT|TEXTAREA)$/.test(e.target.tagName)) { if (e.key === 'Escape') { find.value = ''; filter(); e.target.blur(); } return; }
    switch (e.key) {
      case '/': find.focus(); e.preventDefault(); break;
      case 'j': step(1); break;
      case 'k': step(-1); break;
      case 'o': open.click(); break;
      case 'b': beside.click(); break;
      case 'd': document.getElementById('light').click(); break;
    }
  });
  filter();
  linked();
})();
