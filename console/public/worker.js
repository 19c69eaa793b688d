// The console's service worker. It keeps the console's files, so that it opens without the service, and shows what is pushed.
// What is known of the site the pages keep themselves (src/api/kept.ts): asking for that goes past the worker.
const shell = 'lark-shell'

self.addEventListener('install', (event) => {
  self.skipWaiting()
  // Where the browser knows how, nothing has to wake the worker but the opening of a page.
  event.addRoutes?.([
    { condition: { urlPattern: '/api/*' }, source: 'network' },
    { condition: { urlPattern: '/files/*' }, source: { cacheName: shell } },
  ])
})
self.addEventListener('activate', (event) => event.waitUntil(self.clients.claim()))

self.addEventListener('fetch', (event) => {
  const url = new URL(event.request.url)
  if (event.request.method !== 'GET' || url.origin !== self.location.origin) return
  if (url.pathname.startsWith('/files/')) event.respondWith(asset(event.request))
  else if (event.request.mode === 'navigate' && !/^\/(api|take|health)\//.test(url.pathname))
    event.respondWith(page(event.request))
})

const asset = async (request) => (await caches.match(request)) ?? fetch(request)

async function page(request) {
  try {
    return await fetch(request)
  } catch (away) {
    const kept = await caches.match('/')
    if (kept) return kept
    throw away
  }
}

self.addEventListener('message', (event) => {
  if (event.data === 'keep the shell') event.waitUntil(keepShell())
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
