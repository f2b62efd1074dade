import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vite'
import { guide } from './guide.ts'
import { licences } from './licences.ts'

const server = 'http://127.0.0.1:8470'

export default defineConfig({
  plugins: [vue(), guide(), licences()],
  build: { chunkSizeWarningLimit: 1600 },
  server: { proxy: { '/api': { target: server, ws: true } } },
})
