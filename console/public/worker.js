// The console's service worker. It shows what is pushed; it keeps the console and the last state of the site, so that both
// open without the service; and it forgets that state when somebody signs out.
const shell = 'lark-shell'
const state = 'lark-state'

self.addEventListener('install', () => self.skipWaiting())
self.addEventListener('activate', (event) => event.waitUntil(self.clients.claim()))

// What is kept of the site: what the first places show. Readings, archives and keys are not.
const keeps = [
  /^\/api\/v1\/(session|site|units|signals|guards|sparks|outputs|interlocks|devices|arrivals|rosters|contacts|journal|totals)$/,
  /^\/api\/v1\/alarms(\/\d+)?$/,
  /^\/api\/v1\/boards(\/[a-z0-9-]+)?$/,
  /^\/api\/v1\/pictures(\/\d+)?$/,
]
const apart = 10_000 // of what is asked for often, one answer in so many milliseconds is kept
const keptAt = new Map()

self.addEventListener('fetch', (event) => {
  const url = new URL(event.request.url)
  if (event.request.method !== 'GET' || url.origin !== self.location.origin) return
  if (url.pathname.startsWith('/assets/')) event.respondWith(asset(event.request))
  else if (event.request.mode === 'navigate' && !url.pathname.startsWith('/api/') && !url.pathname.startsWith('/take'))
    event.respondWith(page(event.request))
  else if (keeps.some((path) => path.test(url.pathname)) && !url.searchParams.has('since'))
    event.respondWith(fresh(event.request))
})

async function asset(request) {
  const kept = await caches.match(request)
  return kept ?? fetch(request)
}

async function page(request) {
  try {
    return await fetch(request)
  } catch (away) {
    const kept = await caches.match('/')
    if (kept) return kept
    throw away
  }
}

async function fresh(request) {
  let answer
  try {
    answer = await fetch(request)
  } catch (away) {
    const kept = await caches.match(request)
    if (kept) return kept
    throw away
  }
  if (answer.status === 401) await caches.delete(state)
  const due = Date.now() - (keptAt.get(request.url) ?? 0) > apart
  if (answer.ok && due) {
    keptAt.set(request.url, Date.now())
    const copy = answer.clone()
    void copy.blob().then((body) => keep(request.url, body, copy.headers.get('Content-Type')))
  }
  return answer
}

/** Keeps an answer with the time at which it was true. */
async function keep(url, body, type) {
  const all = await caches.open(state)
  await all.put(url, new Response(body, { headers: { 'Content-Type': type, 'x-kept-at': String(Date.now()) } }))
}

self.addEventListener('message', (event) => {
  const { say, answers } = event.data ?? {}
  if (say === 'forget') event.waitUntil(caches.delete(state))
  if (say === 'keep')
    for (const [url, data] of Object.entries(answers))
      event.waitUntil(keep(url, JSON.stringify(data), 'application/json'))
  if (say === 'shell') event.waitUntil(keepShell())
})

/** Keeps the page and all its files, and drops those of older versions. */
async function keepShell() {
  const all = await caches.open(shell)
  const listed = await fetch('/files.json', { cache: 'no-cache' })
  if (!listed.ok) return
  const files = Object.values(await listed.json()).flatMap((f) => [f.file, ...(f.css ?? []), ...(f.assets ?? [])])
  const paths = new Set(files.map((f) => `/${f}`))
  const there = (await all.keys()).map((r) => new URL(r.url).pathname)
  for (const path of there) if (path !== '/' && !paths.has(path)) await all.delete(path)
  for (const path of paths) if (!there.includes(path)) await all.add(path)
  await all.put('/', await fetch('/', { cache: 'no-cache' }))
}

self.addEventListener('push', (event) => {
  const said = event.data ? event.data.json() : { title: 'Jaunty Lark', body: '', link: '/', tag: 'lark' }
  event.waitUntil(
    self.registration.showNotification(said.title, {
      body: said.body,
      tag: said.tag,
      renotify: true,
      icon: '/lark.svg',
      data: said.link,
    }),
  )
})
self.addEventListener('notificationclick', (event) => {
  event.notification.close()
  event.waitUntil(self.clients.openWindow(event.notification.data || '/'))
})
