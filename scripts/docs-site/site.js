// The search of the documentation: the index is loaded when it is first needed.
(() => {
  const root = document.documentElement.dataset.root;
  const input = document.getElementById('search');
  const found = document.getElementById('found');
  const menu = document.querySelector('.menu');
  const narrow = matchMedia('(max-width: 800px)');
  const fold = () => {
    menu.open = !narrow.matches;
  };
  narrow.addEventListener('change', fold);
  fold();
  const here = document.querySelector('nav [aria-current]');
  if (here !== null && !narrow.matches) menu.scrollTop = Math.max(0, here.offsetTop - menu.offsetTop - 120);

  let loading;
  const load = () =>
    (loading ??= fetch(`${root}/search.json`)
      .then((response) => response.text())
      .then((text) => MiniSearch.loadJSON(text, { fields: ['heading', 'page', 'text'], storeFields: ['url', 'page', 'heading'] })));

  const show = (index, text) => {
    const look = (combineWith) => index.search(text, { prefix: true, fuzzy: 0.15, combineWith, boost: { heading: 4, page: 2 } });
    const all = look('AND');
    // Where no section has all the words, those with some of them are shown.
    const hits = (all.length > 0 ? all : look('OR')).slice(0, 12);
    found.replaceChildren(
      ...hits.map(({ url, page, heading }) => {
        const item = document.createElement('li');
        const link = document.createElement('a');
        link.href = `${root}/${url}`;
        const title = document.createElement('span');
        title.textContent = heading;
        link.append(title);
        if (page !== heading) {
          const where = document.createElement('small');
          where.textContent = page;
          link.append(where);
        }
        item.append(link);
        return item;
      }),
    );
    if (hits.length === 0) {
      const item = document.createElement('li');
      const words = document.createElement('p');
      words.textContent = `Nothing found for “${text}”.`;
      item.append(words);
      found.append(item);
    }
    found.hidden = false;
  };

  input.addEventListener('input', async () => {
    const text = input.value.trim();
    if (text === '') {
      found.hidden = true;
      return;
    }
    const index = await load();
    // What was typed since is what counts.
    if (input.value.trim() === text) show(index, text);
  });
  document.querySelector('form').addEventListener('submit', (event) => {
    event.preventDefault();
    found.querySelector('a')?.click();
  });
  document.addEventListener('keydown', (event) => {
    const links = [...found.querySelectorAll('a')];
    if (event.key === '/' && document.activeElement !== input) {
      event.preventDefault();
      input.focus();
    } else if (event.key === 'Escape') {
      found.hidden = true;
      input.focus();
    } else if (!found.hidden && (event.key === 'ArrowDown' || event.key === 'ArrowUp') && links.length > 0) {
      event.preventDefault();
      const at = links.indexOf(document.activeElement) + (event.key === 'ArrowDown' ? 1 : -1);
      (at < 0 ? input : links[Math.min(at, links.length - 1)]).focus();
    }
  });
  document.addEventListener('click', (event) => {
    if (!event.target.closest('form')) found.hidden = true;
  });
})();
