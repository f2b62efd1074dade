// The user guide as a module: its pages with their pictures, rendered when the web part is built.
import { readdirSync, readFileSync } from 'node:fs'
import { basename, join, resolve } from 'node:path'
import MarkdownIt from 'markdown-it'
import type { Plugin } from 'vite'

const DOCS = resolve(import.meta.dirname, '../docs')
const FURTHER = ['how-cut-outs-work.md', 'what-protection-can-promise.md']
const PICTURE = /<img src="[^"]*?([^/"]+)\.png"/g

export function guide(): Plugin {
  return {
    name: 'guide',
    resolveId: (id) => (id === 'virtual:guide' ? '\0guide' : undefined),
    load(id) {
      if (id !== '\0guide') return
      const pages = readdirSync(join(DOCS, 'guide')).filter((one) => /^\d/.test(one))
      const files = [...pages.sort().map((one) => join(DOCS, 'guide', one)), ...FURTHER.map((one) => join(DOCS, one))]
      const pictures = new Set<string>()
      const made = files.map((file) => {
        this.addWatchFile(file)
        const rendered = new MarkdownIt().render(readFileSync(file, 'utf8')).replace(/[`\\]|\$(?=\{)/g, '\\$&')
        const html = rendered.replace(PICTURE, (_, name: string) => {
          pictures.add(name)
          return `<img src="\${${nameOf(name)}}" loading="lazy"`
        })
        return `{ id: '${basename(file, '.md').replace(/^\d+-/, '')}', html: \`${html}\` }`
      })
      const imports = [...pictures].map((one) => `import ${nameOf(one)} from '${join(DOCS, 'screenshots', one)}.png'`)
      return `${imports.join('\n')}\nexport default [${made.join(',\n')}]`
    },
  }
}

const nameOf = (picture: string) => `picture_${picture.replace(/\W/g, '_')}`
