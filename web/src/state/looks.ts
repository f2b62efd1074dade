// Looks of regions: changes to them, copies, recipes.
import { useStorage } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref, watch } from 'vue'
import { api, content } from '../api/client'
import { listen } from '../api/news'
import type { Keyed, Look, LookSetting, Medium, Outline, OutlinePoint, Recipe, RecipeInfo, Region } from '../api/types'
import { useAround } from './around'
import { isShot, shotsOf } from './shots'
import { useCutting } from './cutting'
import { fillOf, useFills } from './fills'
import { useFound } from './found'
import { newId, pointsAt, ticked, tickedOutline, valueAt, withOutline, withValue } from './numbers'
import { attempt, confirmed, say } from './say'
import { useShelf } from './shelf'
import { useStores } from './stores'

export type Side = 'inside' | 'outside'
export const SIDES: Side[] = ['inside', 'outside']

export const useLooks = defineStore('looks', () => {
  const { session, selection, lanes, tools, commands } = useStores()
  const found = useFound()
  const cutting = useCutting()
  const around = useAround()
  const fills = useFills()
  const shelf = useShelf()
  const copied = useStorage<Look[]>('cravo.looks', [])
  const open = ref<string | null>(null) // the look whose settings are shown
  const asked = ref<string | null>(null) // a new look whose picture is to be chosen at once
  const recipes = ref<RecipeInfo[]>([])
  const guide = ref<Recipe | null>(null) // what a recipe says is to be done next
  const kinds = computed(() => shelf.facts?.looks ?? [])

  listen((news) => {
    if (news.kind === 'recipes' && recipes.value.length) void loadRecipes()
  })

  // What comes next belongs to the project in which it was begun.
  watch(
    () => session.id,
    () => (guide.value = null),
  )

  function kindOf(look: Look) {
    return kinds.value.find((one) => one.kind === look.kind)
  }

  function add(side: Side, kind: string) {
    const found = kinds.value.find((one) => one.kind === kind)
    if (!found) return
    // What is around a region is treated evenly, whatever the region measures.
    const even =
      side === 'outside' && found.settings.find((one) => one.name === 'measured')?.choices?.includes('in pixels')
    const settings: Look['settings'] = even ? { measured: 'in pixels' } : {}
    const look: Look = { id: newId(), kind, on: true, strength: found.strength, settings }
    open.value = look.id
    const first = found.settings[0]
    asked.value = first?.type === 'file' && first.accept.includes('.png') ? look.id : null
    const added = commands.editRegion(`Add ${found.label}`, (region) => void region[side].push(look))
    if (kind === 'fill') void added.then(() => fills.begin())
  }

  function remove(side: Side, look: Look) {
    void commands.editRegion(`Remove ${kindOf(look)?.label ?? look.kind}`, (region) => {
      region[side] = region[side].filter((one) => one.id !== look.id)
    })
  }

  function move(side: Side, look: Look, by: 1 | -1) {
    void commands.editRegion(by > 0 ? 'Look later' : 'Look earlier', (region) => {
      const from = region[side].findIndex((one) => one.id === look.id)
      if (from < 0 || from + by < 0 || from + by >= region[side].length) return
      region[side].splice(from + by, 0, ...region[side].splice(from, 1))
    })
  }

  /** Change a look of the selected region; without `meant` only to see what it would be like. */
  function change(side: Side, look: Look, label: string, to: (look: Look) => void, meant = true) {
    const run = (region: Region) => {
      const found = region[side].find((one) => one.id === look.id)
      if (found) to(found)
    }
    if (meant) void commands.editRegion(label, run)
    else commands.tryRegion(run)
  }

  function strength(side: Side, look: Look, value: number, meant: boolean) {
    const at = lanes.sourceFrame
    change(side, look, 'Change strength', (one) => (one.strength = withValue(one.strength, at, value / 100)), meant)
  }

  function tickStrength(side: Side, look: Look) {
    const at = lanes.sourceFrame
    change(side, look, 'Strength by hand', (one) => (one.strength = ticked(one.strength, at)))
  }

  function number(side: Side, look: Look, which: LookSetting, value: number, meant: boolean) {
    const at = lanes.sourceFrame
    const set = (one: Look) => (one.settings[which.name] = withValue(numberOf(one, which), at, value))
    change(side, look, `Change ${which.label.toLowerCase()}`, set, meant)
  }

  function tick(side: Side, look: Look, which: LookSetting) {
    const at = lanes.sourceFrame
    const set = (one: Look) => (one.settings[which.name] = ticked(numberOf(one, which), at))
    change(side, look, `${which.label} by hand`, set)
  }

  function word(side: Side, look: Look, which: LookSetting, value: string, meant = true) {
    change(side, look, `Change ${which.label.toLowerCase()}`, (one) => (one.settings[which.name] = value), meant)
  }

  function curve(side: Side, look: Look, which: LookSetting, points: OutlinePoint[], meant: boolean) {
    const at = lanes.sourceFrame
    const set = (one: Look) => (one.settings[which.name] = withOutline(outlineOf(one, which), at, points))
    change(side, look, `Change ${which.label.toLowerCase()}`, set, meant)
  }

  function tickCurve(side: Side, look: Look, which: LookSetting) {
    const at = lanes.sourceFrame
    const set = (one: Look) => (one.settings[which.name] = tickedOutline(outlineOf(one, which), at))
    change(side, look, `${which.label} by hand`, set)
  }

  /** A file of the shelf, which the project then lists among its media. */
  function file(side: Side, look: Look, which: LookSetting, medium: Medium | null) {
    const [shot, region] = [selection.shot?.id, selection.regionId]
    void session.edit(`Change ${which.label.toLowerCase()}`, (document) => {
      if (medium && !document.media?.some((one) => one.id === medium.id))
        document.media = [...(document.media ?? []), { id: medium.id, name: medium.name }]
      const found = shotsOf(document)
        .find((one) => one.id === shot)
        ?.regions.find((one) => one.id === region)
        ?.[side].find((one) => one.id === look.id)
      if (found) found.settings[which.name] = medium?.id ?? ''
    })
  }

  function reset(side: Side, looks: Look[]) {
    const ids = new Set(looks.map((look) => look.id))
    void commands.editRegion(looks.length > 1 ? 'Reset all looks' : 'Reset look', (region) => {
      for (const one of region[side])
        if (ids.has(one.id)) Object.assign(one, { settings: {}, strength: kindOf(one)?.strength ?? 1 })
    })
  }

  function fade(look: Look, way: 'in' | 'out') {
    const region = selection.regionId
    if (!region) return
    const length = Math.max(Math.round(session.rate), 1)
    void commands.change((shot, frame) => ({ do: 'fade', shot, region, look: look.id, way, frame, length }))
  }

  function copy(looks: Look[]) {
    copied.value = JSON.parse(JSON.stringify(looks)) as Look[]
    say().message.info(looks.length > 1 ? `${looks.length} looks are copied.` : 'The look is copied.')
  }

  /** Put what is copied on one side of several regions, of any shots. */
  function paste(side: Side, regions: { shot: string; region: string }[]) {
    if (!copied.value.length) return
    void session.edit(copied.value.length > 1 ? 'Paste looks' : 'Paste look', (document) => {
      for (const layer of document.layers)
        for (const shot of layer.items.filter(isShot))
          for (const region of shot.regions)
            if (regions.some((one) => one.shot === shot.id && one.region === region.id))
              region[side].push(...copied.value.map((look) => ({ ...look, id: newId() })))
    })
  }

  async function loadRecipes() {
    await attempt(async () => {
      recipes.value = (await content(api.GET('/api/recipes'))) as RecipeInfo[]
    })
  }

  /** Do what a recipe says; what it makes anew is selected, and around a spot followed. */
  async function applyRecipe(recipe: Recipe, spot: { x: number; y: number } | null = null) {
    const width = selection.medium?.width ?? 1920
    const well = await commands.change((shot, frame) => ({
      do: 'apply recipe',
      shot,
      frame,
      recipe,
      width,
      region: selection.regionId,
      spot: spot && [spot.x, spot.y],
      view: spot && around.view,
    }))
    if (!well) return
    const fresh = selection.shot?.regions.find((one) => session.created.includes(one.id))
    const motion = selection.createdMotion()
    if (fresh) selection.select(fresh.id)
    const sought = fresh?.parts.find((part) => part.kind === 'faces' || part.kind === 'lettering')
    if (sought) found.search(sought.id)
    else if (selection.cutOut) cutting.refill()
    if (motion) commands.follow({ motion: motion.id }, 'both')
    const filled = selection.region && fillOf(selection.region)
    if (filled) {
      open.value = filled.id
      void fills.begin()
    }
    if (recipe.after) guide.value = recipe
  }

  /** Whether what a recipe is for is selected. */
  const fits = (one: RecipeInfo) =>
    selection.region !== null || !one.recipe.regions.some((region) => region.place === 'selected' && !region.finds)

  /** Do what a recipe says, or take it in hand where it asks for a spot. On a whole shot twice only where that is meant. */
  async function choose(one: RecipeInfo) {
    const { recipe } = one
    if (needsSpot(one)) return tools.take({ draw: 'spot', recipe })
    const whole = recipe.regions.filter((region) => region.place === 'whole').map((region) => region.name)
    const there = selection.shot?.regions.some((region) => whole.includes(region.name))
    const twice = 'It treats the whole picture, and would do so twice.'
    if (there && !(await confirmed(`${recipe.name} is on this shot already`, twice, 'Once more'))) return
    void applyRecipe(recipe)
  }

  async function keepRecipe(name: string) {
    const [project, shot, region] = [session.id, selection.shot?.id, selection.regionId]
    if (!project || !shot || !region) return
    const body = { project, shot, region, frame: lanes.sourceFrame, name }
    await attempt(() => content(api.POST('/api/recipes', { body })))
    await loadRecipes()
  }

  async function readRecipe(file: File) {
    const text = await file.text()
    await attempt(() => content(api.POST('/api/recipes', { body: { text, frame: 0, name: '' } })))
    await loadRecipes()
  }

  async function forgetRecipe(recipe: string) {
    await attempt(() => content(api.DELETE('/api/recipes/{recipe}', { params: { path: { recipe } } })))
    await loadRecipes()
  }

  return {
    copied,
    open,
    asked,
    recipes,
    guide,
    kinds,
    kindOf,
    add,
    remove,
    move,
    change,
    strength,
    tickStrength,
    number,
    tick,
    word,
    curve,
    tickCurve,
    file,
    reset,
    fade,
    copy,
    paste,
    loadRecipes,
    fits,
    choose,
    applyRecipe,
    keepRecipe,
    readRecipe,
    forgetRecipe,
  }
})

export const needsSpot = (one: RecipeInfo) => one.recipe.regions.some((region) => region.place === 'spot')

export function numberOf(look: Look, which: LookSetting): number | Keyed {
  return (look.settings[which.name] ?? which.default) as number | Keyed
}

export function outlineOf(look: Look, which: LookSetting): Outline {
  const given = look.settings[which.name] as Outline | undefined
  return given ?? (which.default as [number, number][]).map(([x, y]) => ({ x, y, before: [0, 0], after: [0, 0] }))
}

/** The value of a numeric setting, or the points of a curve, on a frame. */
export const valueOf = (look: Look, which: LookSetting, frame: number) => valueAt(numberOf(look, which), frame)
export const curveOf = (look: Look, which: LookSetting, frame: number) => pointsAt(outlineOf(look, which), frame)
