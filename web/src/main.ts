import { createPinia } from 'pinia'
import { createApp } from 'vue'
import { createRouter, createWebHistory } from 'vue-router'
import { connect } from './api/news'
import App from './App.vue'
import { keepEscape } from './parts/overlays'
import Shelf from './screens/Shelf.vue'
import { watchHealth } from './state/health'
import './style.css'

const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', component: Shelf },
    { path: '/project/:id', component: () => import('./screens/Bench.vue') },
    { path: '/project/:id/film', component: () => import('./screens/Film.vue') },
    { path: '/project/:id/proof', component: () => import('./screens/Proof.vue') },
    { path: '/project/:id/export', component: () => import('./screens/Export.vue') },
    { path: '/:rest(.*)*', redirect: '/' },
  ],
})

createApp(App).use(createPinia()).use(router).mount('#app')
connect()
watchHealth()
keepEscape()
// A file that is dropped beside a place for files must not take the page's place.
for (const kind of ['dragover', 'drop'] as const) window.addEventListener(kind, (event) => event.preventDefault())
