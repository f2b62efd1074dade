// The packages that the web part ships with, as they name themselves.
import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import type { Plugin } from 'vite'
import web from './package.json' with { type: 'json' }

export function licences(): Plugin {
  return {
    name: 'licences',
    resolveId: (id) => (id === 'virtual:licences' ? '\0licences' : undefined),
    load(id) {
      if (id !== '\0licences') return
      const found = Object.keys(web.dependencies).map((name) => {
        const file = join(import.meta.dirname, 'node_modules', name, 'package.json')
        const { version, license } = JSON.parse(readFileSync(file, 'utf8')) as { version: string; license: string }
        return { name, version, licence: license }
      })
      return `export default ${JSON.stringify(found)}`
    },
  }
}
