// The console's service worker: it shows what is pushed, and opens the alarm's page.
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
