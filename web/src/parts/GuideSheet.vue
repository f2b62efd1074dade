<script setup lang="ts">
// The user guide over the screen: pages by job, and a search through them.
import { computed, nextTick, ref, watch } from 'vue'
import pages from 'virtual:guide'
import { useHelp } from '../state/help'
import Sheet from './Sheet.vue'

const help = useHelp()
const typed = ref('')
const text = ref<HTMLElement>()

const read = (html: string) => new DOMParser().parseFromString(html, 'text/html').body
const all = pages.map((page) => {
  const body = read(page.html)
  return { ...page, title: body.querySelector('h1')?.textContent ?? page.id, words: body.textContent ?? '' }
})
const shown = computed(() => all.find((one) => one.id === help.page) ?? all[0])

const AROUND = 60 // letters of a find's surroundings
/** Pages that hold all that was typed, with the place where they do. */
const found = computed(() => {
  const words = typed.value.toLowerCase().split(/\s+/).filter(Boolean)
  return all.flatMap((page) => {
    const low = page.words.toLowerCase()
    if (!words.every((word) => low.includes(word))) return []
    const at = words.length ? low.indexOf(words[0], page.title.length) : -1
    const place = page.words.slice(Math.max(at - AROUND / 2, 0), at + AROUND).replace(/\s+/g, ' ')
    return [{ ...page, place: at < 0 ? '' : `… ${place.trim()} …` }]
  })
})

watch(
  () => help.page,
  () => nextTick(() => text.value?.scrollTo(0, 0)),
)

/** Links between pages stay in the guide; what is no page of it is left alone. */
function follow(event: MouseEvent) {
  const link = event.target instanceof HTMLElement ? event.target.closest('a') : null
  if (!link) return
  event.preventDefault()
  const name = link
    .getAttribute('href')
    ?.match(/([\w-]+)\.md/)?.[1]
    .replace(/^\d+-/, '')
  if (name && all.some((one) => one.id === name)) help.open(name)
}
</script>

<template>
  <Sheet title="Guide" :width="1040" @close="help.page = null">
    <div class="guide">
      <nav aria-label="Pages of the guide">
        <input v-model="typed" type="search" class="textfield" aria-label="Search the guide" placeholder="Search" />
        <ul>
          <li v-for="one in found" :key="one.id">
            <button
              type="button"
              class="page"
              :aria-current="one.id === shown.id ? 'page' : undefined"
              @click="help.open(one.id)"
            >
              {{ one.title }}
              <span v-if="one.place" class="soft place">{{ one.place }}</span>
            </button>
          </li>
        </ul>
        <p v-if="!found.length" class="soft" role="status">No page says that.</p>
      </nav>
      <!-- eslint-disable-next-line vue/no-v-html -- the guide's own pages, rendered when this was built -->
      <article ref="text" tabindex="0" :aria-label="shown.title" @click="follow" v-html="shown.html"></article>
    </div>
  </Sheet>
</template>

<style scoped>
.guide {
  display: grid;
  grid-template-columns: 240px minmax(0, 1fr);
  gap: 24px;
  height: calc(100vh - 150px);
}
nav {
  display: flex;
  flex-direction: column;
  gap: 8px;
  min-height: 0;
}
nav ul {
  overflow: auto;
}
.page {
  all: unset;
  box-sizing: border-box;
  display: grid;
  width: 100%;
  padding: 4px 8px;
  border-radius: 4px;
  cursor: pointer;
}
.page:hover,
.page[aria-current] {
  background: var(--raised);
}
.page[aria-current] {
  box-shadow: inset 2px 0 0 var(--accent);
}
.page:focus-visible {
  outline: 2px solid var(--accent);
  outline-offset: -2px;
}
.place {
  font-size: 12px;
}
article {
  overflow: auto;
  padding-right: 8px;
  line-height: 1.55;
}
article :deep(h1) {
  font-size: 20px;
  margin-bottom: 8px;
}
article :deep(h2) {
  margin: 16px 0 4px;
}
article :deep(p),
article :deep(ol),
article :deep(ul),
article :deep(pre),
article :deep(table) {
  margin: 0 0 10px;
  max-width: 76ch;
}
article :deep(ol),
article :deep(ul) {
  padding-left: 20px;
}
article :deep(ul) {
  list-style: disc;
}
article :deep(img) {
  width: 100%;
  border: 1px solid var(--line);
  border-radius: 4px;
}
article :deep(table) {
  border-collapse: collapse;
}
article :deep(td),
article :deep(th) {
  padding: 4px 12px 4px 0;
  border-bottom: 1px solid var(--line);
  text-align: left;
  vertical-align: top;
}
article :deep(td:first-child) {
  min-width: 88px;
}
article :deep(pre) {
  max-width: none;
  overflow: auto;
  padding: 8px;
  background: var(--ground);
}
article :deep(a) {
  color: var(--accent);
}
</style>
