// SPDX-License-Identifier: GPL-3.0-or-later
// A turntable of pictures. What it shows stands in views.js: { title, views: [file], width, height, tiles: null or
// { size, overlap, least } }. Nothing is asked for outside of this folder.
(function () {
  'use strict';
  const set = window.spin;
  const count = set.views.length;
  const stage = document.getElementById('spin');
  const view = document.getElementById('view');
  const deep = document.getElementById('deep');
  const progress = document.getElementById('progress');
  const where = document.getElementById('where');
  const zoomButton = document.getElementById('zoom');
  const pictures = new Array(count);
  let current = 0;
  let loaded = 0;

  // ---------------------------------------------------------------------------------------------- turning

  function show(index) {
    current = ((index % count) + count) % count;
    const ready = pictures[current] && pictures[current].complete;
    if (ready || current === 0) view.src = set.views[current];
    const degrees = Math.round(current * 360 / count);
    const words = 'view ' + (current + 1) + ' of ' + count + ', ' + degrees + ' degrees';
    view.alt = set.title + ', ' + words;
    stage.setAttribute('aria-valuenow', String(current + 1));
    stage.setAttribute('aria-valuetext', words);
    where.textContent = (current + 1) + ' / ' + count;
    if (near.viewer) openTiles();
  }

  // The first view is in the page itself; the rest follow behind it, those beside it first.
  function loadRest() {
    const order = [];
    for (let step = 1; step <= count / 2; ++step) {
      order.push(step);
      if (count - step !== step) order.push(count - step);
    }
    (function next() {
      progress.style.width = loaded >= count - 1 ? '0' : (100 * (loaded + 1) / count) + '%';
      const index = order[loaded];
      if (index === undefined) return;
      const picture = new Image();
      pictures[index] = picture;
      picture.onload = picture.onerror = function () {
        ++loaded;
        if (index === current) view.src = set.views[index];
        next();
      };
      picture.src = set.views[index];
    })();
  }

  // ---------------------------------------------------------------------------------------------- coming closer

  // Without tiles the picture itself is enlarged; with them a viewer of tiles lies over it.
  const near = { scale: 1, x: 0, y: 0, viewer: null, on: false };

  function most() {
    return Math.max(2, 2 * set.width / Math.max(1, view.clientWidth));
  }

  function place() {
    const wide = view.clientWidth * (near.scale - 1);
    const high = view.clientHeight * (near.scale - 1);
    near.x = Math.min(0, Math.max(-wide, near.x));
    near.y = Math.min(0, Math.max(-high, near.y));
    view.style.transform = near.scale > 1
      ? 'translate(' + near.x + 'px,' + near.y + 'px) scale(' + near.scale + ')' : '';
    setNear(near.scale > 1);
  }

  function setNear(on) {
    near.on = on;
    stage.classList.toggle('near', on);
    zoomButton.setAttribute('aria-pressed', String(on));
  }

  function zoomTo(scale, clientX, clientY) {
    if (set.tiles) return scale > 1 ? openDeep(clientX, clientY) : closeDeep();
    const frame = view.getBoundingClientRect();
    const atX = (clientX - frame.left) / near.scale;
    const atY = (clientY - frame.top) / near.scale;
    const wanted = Math.min(most(), Math.max(1, scale));
    near.x += atX * (near.scale - wanted);
    near.y += atY * (near.scale - wanted);
    near.scale = wanted;
    place();
  }

  function tileSource() {
    const number = String(current + 1).padStart(2, '0');
    return {
      Image: {
        xmlns: 'http://schemas.microsoft.com/deepzoom/2008',
        Url: 'tiles/' + number + '_files/',
        Format: 'jpg',
        Overlap: String(set.tiles.overlap),
        TileSize: String(set.tiles.size),
        Size: { Width: String(set.tiles.width), Height: String(set.tiles.height) }
      },
      minLevel: set.tiles.least
    };
  }

  function openTiles() {
    const bounds = near.viewer.viewport.getBounds();
    near.viewer.addOnceHandler('open', function () {
      near.viewer.viewport.fitBounds(bounds, true);
    });
    near.viewer.open(tileSource());
  }

  function openDeep(clientX, clientY) {
    if (near.on) return;
    setNear(true);
    deep.hidden = false;
    const frame = view.getBoundingClientRect();
    const begin = function () {
      if (!near.on) return;
      near.viewer = window.OpenSeadragon({
        element: deep,
        drawer: 'canvas',
        showNavigationControl: false,
        tileSources: tileSource(),
        animationTime: window.matchMedia('(prefers-reduced-motion: reduce)').matches ? 0 : 0.4,
        maxZoomPixelRatio: 2,
        keyboardNavEnabled: false,
        gestureSettingsMouse: { clickToZoom: false, dblClickToZoom: false },
        gestureSettingsTouch: { dblTapToZoom: false }
      });
      near.viewer.addOnceHandler('open', function () {
        const viewport = near.viewer.viewport;
        const point = new window.OpenSeadragon.Point(
          (clientX - frame.left) / frame.width, (clientY - frame.top) / frame.width);
        viewport.zoomTo(Math.min(viewport.getMaxZoom(), 2.5 * viewport.getHomeZoom()), point);
        viewport.applyConstraints();
      });
    };
    if (window.OpenSeadragon) return begin();
    const script = document.createElement('script');
    script.src = 'viewer/openseadragon.min.js';
    script.onload = begin;
    document.head.appendChild(script);
  }

  function closeDeep() {
    setNear(false);
    deep.hidden = true;
    if (near.viewer) near.viewer.destroy();
    near.viewer = null;
  }

  function far() {
    if (set.tiles) return closeDeep();
    near.scale = 1;
    place();
  }

  function toggleZoom(clientX, clientY) {
    const frame = stage.getBoundingClientRect();
    const x = clientX === undefined ? frame.left + frame.width / 2 : clientX;
    const y = clientY === undefined ? frame.top + frame.height / 2 : clientY;
    if (near.on) far(); else zoomTo(2.5, x, y);
  }

  // ---------------------------------------------------------------------------------------------- hands

  const pointers = new Map();
  let heldAt = 0;
  let heldView = 0;
  let spread = 0;

  function distance() {
    const [one, other] = [...pointers.values()];
    return Math.hypot(one.x - other.x, one.y - other.y);
  }

  stage.addEventListener('pointerdown', function (event) {
    if (near.viewer) return; // the viewer of tiles has its own hands
    pointers.set(event.pointerId, { x: event.clientX, y: event.clientY });
    stage.setPointerCapture(event.pointerId);
    stage.classList.add('held');
    heldAt = event.clientX;
    heldView = current;
    if (pointers.size === 2) spread = distance();
  });

  stage.addEventListener('pointermove', function (event) {
    const last = pointers.get(event.pointerId);
    if (!last || near.viewer) return;
    const moved = { x: event.clientX - last.x, y: event.clientY - last.y };
    pointers.set(event.pointerId, { x: event.clientX, y: event.clientY });
    if (pointers.size === 2) {
      const [one, other] = [...pointers.values()];
      const now = distance();
      if (spread > 0) zoomTo(near.scale * now / spread, (one.x + other.x) / 2, (one.y + other.y) / 2);
      spread = now;
    } else if (near.on) {
      near.x += moved.x;
      near.y += moved.y;
      place();
    } else {
      // Across the whole width is one full turn.
      const step = Math.max(8, stage.clientWidth / count);
      show(heldView - Math.round((event.clientX - heldAt) / step) * set.direction);
    }
  });

  function release(event) {
    pointers.delete(event.pointerId);
    if (pointers.size === 0) stage.classList.remove('held');
    for (const left of pointers.values()) heldAt = left.x;
    heldView = current;
  }
  stage.addEventListener('pointerup', release);
  stage.addEventListener('pointercancel', release);

  let rolled = 0;
  stage.addEventListener('wheel', function (event) {
    if (near.viewer) return;
    event.preventDefault();
    if (event.ctrlKey || near.on) // a pinch on a touchpad comes as a wheel with Ctrl
      return zoomTo(near.scale * Math.exp(-event.deltaY / 300), event.clientX, event.clientY);
    rolled += Math.abs(event.deltaX) > Math.abs(event.deltaY) ? event.deltaX : event.deltaY;
    const steps = Math.trunc(rolled / 60);
    rolled -= 60 * steps;
    if (steps !== 0) show(current + steps);
  }, { passive: false });

  stage.addEventListener('dblclick', function (event) { toggleZoom(event.clientX, event.clientY); });

  stage.addEventListener('keydown', function (event) {
    const keys = {
      ArrowRight: function () { show(current + 1); },
      ArrowLeft: function () { show(current - 1); },
      ArrowUp: function () { show(current + 1); },
      ArrowDown: function () { show(current - 1); },
      PageUp: function () { show(current + Math.max(1, Math.round(count / 8))); },
      PageDown: function () { show(current - Math.max(1, Math.round(count / 8))); },
      Home: function () { show(0); },
      End: function () { show(count - 1); },
      '+': function () { if (!near.on) toggleZoom(); },
      '-': function () { if (near.on) far(); },
      Escape: function () { if (near.on) far(); }
    };
    if (!keys[event.key]) return;
    event.preventDefault();
    keys[event.key]();
  });
  document.getElementById('left').addEventListener('click', function () { show(current - 1); });
  document.getElementById('right').addEventListener('click', function () { show(current + 1); });
  zoomButton.addEventListener('click', function () { toggleZoom(); });
  window.addEventListener('resize', function () { if (!set.tiles && near.on) place(); });

  if (document.readyState === 'complete') loadRest(); else window.addEventListener('load', loadRest);
})();
