// What can be done on the bench, with its keys.
import type { Ref } from 'vue'
import { useRouter } from 'vue-router'
import type { Kind, Part } from '../api/types'
import { CARDS } from '../panels/parts'
import { ARROWS } from '../parts/keys'
import { SHAPES } from '../shapes'
import { grouped, type Action } from '../state/actions'
import { useAround } from '../state/around'
import { useClip } from '../state/clip'
import type { Way } from '../state/commands'
import { useCutting } from '../state/cutting'
import { useFilm } from '../state/film'
import { useFound } from '../state/found'
import { useLooks } from '../state/looks'
import { keyedFrames } from '../state/numbers'
import { useStores } from '../state/stores'
import { MATTE_VIEWS, MATTE_WORDS } from '../state/view'
import { apply, carry, inverse, matrixOf } from '../viewer/geometry'
import type Picture from '../viewer/Picture.vue'
import { sharp, smooth } from '../viewer/PathPoints.vue'

const ALT_ARROWS = Object.keys(ARROWS).flatMap((one) => [`Alt+${one}`, `Alt+Shift+${one}`])

/** The actions of the bench, whose picture is given. */
export function benchActions(picture: Ref<InstanceType<typeof Picture> | undefined>): () => Action[] {
  const { session, selection, lanes, view, tools, commands, arranging } = useStores()
  const clip = useClip()
  const cutting = useCutting()
  const found = useFound()
  const looks = useLooks()
  const around = useAround()
  const film = useFilm()
  const router = useRouter()
  const onLayers = () => view.below === 'layers'
  const inShot = () => selection.shot !== null
  const onItem = () => onLayers() && selection.item !== null

  /** Move the shape, or the chosen points of a path, by pixels of the clip. */
  function nudge(event: KeyboardEvent) {
    const part = selection.shape
    if (!part) return
    const by = event.shiftKey ? 10 : 1
    const [dx, dy] = ARROWS[event.key].map((step) => step * by)
    const back = inverse(lanes.seenBy(part))
    const pose = lanes.poseOf(part)
    if (selection.points.length) {
      const own = matrixOf(pose)
      const [zero, moved] = [apply(inverse(own), pose), apply(inverse(own), { x: pose.x + dx, y: pose.y + dy })]
      const points = (lanes.pointsOf(part) ?? []).map((point, i) =>
        selection.points.includes(i)
          ? { ...point, x: point.x + moved.x - zero.x, y: point.y + moved.y - zero.y }
          : point,
      )
      commands.reshape(part, points)
      return
    }
    const seen = carry(pose, inverse(back))
    commands.place(part, carry({ ...seen, x: seen.x + dx, y: seen.y + dy }, back), 'Move shape')
  }

  /** Lay the chosen item of the layers earlier, later, higher or lower. */
  function lay(event: KeyboardEvent) {
    const item = selection.item
    if (!item) return
    if (event.key === 'ArrowUp' || event.key === 'ArrowDown')
      return arranging.arrange(event.key === 'ArrowUp' ? 'up' : 'down')
    const layer = session.document?.layers.findIndex((one) => one.items.some((each) => each.id === item.id)) ?? 0
    const by = ARROWS[event.key][0] * (event.shiftKey ? 10 : 1)
    arranging.arrange('lay', { shot: item.id, frame: Math.max(item.start + by, 0), layer })
  }

  function extend(what: 'extend begin' | 'extend end') {
    arranging.arrange(what, { length: Math.max(Math.round(session.rate), 1) })
  }

  function drawInTheMiddle() {
    const tool = tools.inHand
    // The middle of what one looks at lies where that of a square as high as the wide picture does.
    const seen = around.on && around.sphere ? { width: around.sphere.height, height: around.sphere.height } : null
    const size = seen ?? selection.medium ?? session.document
    if (!tool || !size?.width || !size.height) return
    if (tool.draw === 'path') return picture.value?.finish()
    if (!('into' in tool) || tool.draw === 'stroke' || tool.draw === 'pick') return
    const side = Math.min(size.width, size.height)
    const pose = { x: size.width / 2, y: size.height / 2, rx: side / 6, ry: side / 5, rotation: 0 }
    void commands.addShape({ kind: tool.draw, ...pose } as unknown as Omit<Part, 'id'>, tool.into)
  }

  function draw(kind: Kind) {
    tools.toggle({ draw: kind, into: null })
  }

  const canGoOn = () => !!(selection.motionId || selection.cutOut || cutting.answering || found.part || selection.shape)

  /** Track what is selected, or propagate it where it is a cut-out. */
  function onwards(way: Way) {
    if (selection.motionId) commands.follow({ motion: selection.motionId }, way)
    else if (selection.cutOut || cutting.answering) cutting.propagate(way)
    else if (found.part) found.search()
    else if (selection.shape) commands.follow({ part: selection.shape.id }, way)
  }

  const onPoints = () => selection.shape?.kind === 'path' && selection.points.length > 0

  function bend(change: typeof sharp) {
    if (selection.shape)
      commands.reshape(selection.shape, change(lanes.pointsOf(selection.shape) ?? [], selection.points))
  }

  const onKey = () => selection.shape !== null && keyedFrames(selection.shape).includes(lanes.sourceFrame)
  const canCopyKey = () =>
    selection.shape !== null && selection.keyInHand !== null && selection.keyInHand !== lanes.sourceFrame

  function setKey() {
    if (selection.shape) commands.place(selection.shape, lanes.poseOf(selection.shape), 'Set by hand')
  }

  function moveKey(copied: boolean) {
    const [part, frame, to] = [selection.shape, selection.keyInHand, lanes.sourceFrame]
    if (!part || frame === null) return
    void commands.change((shot) => ({ do: 'move keys', shot, part: part.id, frame, to, copied }))
    if (!copied) selection.keyInHand = null
  }

  /** Look for what the region covers in the other shots; the screen of the film shows what comes of it. */
  function lookEverywhere() {
    const [shot, region] = [selection.shot?.id, selection.regionId]
    if (!shot || !region) return
    void film.look(shot, region)
    void router.push(`/project/${session.id}/film`)
  }

  function takeBack() {
    const part = selection.shape
    if (part) void commands.change((shot, at) => ({ do: 'clear keys', shot, part: part.id, first: at, last: at }))
  }

  function goOnFromHere() {
    const part = selection.shape
    if (!part) return
    void commands
      .change((shot, frame) => ({ do: 'go on from', shot, part: part.id, frame }))
      .then((well) => well && commands.follow({ part: part.id }, 'both'))
  }

  function switchRegion() {
    const region = selection.region
    if (region)
      void commands.editRegion(region.on ? `Switch ${region.name} off` : `Switch ${region.name} on`, (one) => {
        one.on = !one.on
      })
  }

  const canRemove = () => (onLayers() ? selection.item !== null : !!(selection.motionId || selection.regionId))

  /** Chosen points first, else what has its card open: the motion, or the region. */
  function remove() {
    const part = selection.shape
    if (onLayers()) {
      if (selection.item) arranging.arrange('remove')
    } else if (part && onPoints()) {
      const points = [...selection.points]
      selection.points = []
      void commands.change((shot) => ({ do: 'remove point', shot, part: part.id, points }))
    } else if (selection.motionId) {
      const motion = selection.motionId
      void commands.change((shot, frame) => ({ do: 'remove motion', shot, motion, frame }))
    } else if (selection.regionId) {
      const region = selection.regionId
      void commands.change((shot) => ({ do: 'remove region', shot, region }))
    }
  }

  function leave() {
    if (tools.inHand) tools.layDown()
    else if (selection.points.length) selection.points = []
    else if (onLayers()) selection.itemId = null
    else if (selection.motionId) selection.motionId = null
    else selection.select(null)
  }

  function selectRegion(event?: KeyboardEvent) {
    const region = selection.shot?.regions[Number(event?.key) - 1]
    if (region) selection.select(region.id)
  }

  function place(what: 'lanes' | 'layers' | 'scopes') {
    view.below = view.below === what ? 'lanes' : what
  }

  /** The next shot of the film, or the one before. */
  function goShot(by: 1 | -1) {
    const starts = [...new Set((session.state?.spans ?? []).map((one) => one.start))].sort((a, b) => a - b)
    const at = selection.span?.start ?? 0
    const to = by > 0 ? starts.find((start) => start > at) : starts.findLast((start) => start < at)
    if (to !== undefined) selection.go(to)
  }

  const go = grouped('Play and go', [
    { says: 'Play, pause', keys: ['Space'], does: () => picture.value?.toggle() },
    { says: 'One frame back', keys: ['ArrowLeft'], does: () => selection.go(selection.frame - 1) },
    { says: 'One frame on', keys: ['ArrowRight'], does: () => selection.go(selection.frame + 1) },
    { says: 'Ten frames back', keys: ['Shift+ArrowLeft'], does: () => selection.go(selection.frame - 10) },
    { says: 'Ten frames on', keys: ['Shift+ArrowRight'], does: () => selection.go(selection.frame + 10) },
    { says: 'First frame', keys: ['Home'], does: () => selection.go(0) },
    { says: 'Last frame', keys: ['End'], does: () => selection.go(session.frames - 1) },
    { says: 'Next shot', keys: ['Ctrl+ArrowRight'], does: () => goShot(1) },
    { says: 'Shot before', keys: ['Ctrl+ArrowLeft'], does: () => goShot(-1) },
    { says: 'Next doubt', keys: ['N'], does: () => lanes.goDoubt(1) },
    { says: 'Doubt before', keys: ['Shift+N'], does: () => lanes.goDoubt(-1) },
    {
      says: 'Select a region by its number',
      keys: ['1', '2', '3', '4', '5', '6', '7', '8'],
      shown: '1 – 8',
      byKey: true,
      can: inShot,
      does: selectRegion,
    },
  ])

  const shows = grouped('Show', [
    {
      says: 'Next way of showing the matte',
      keys: ['M'],
      does: () => (view.matte = MATTE_VIEWS[(MATTE_VIEWS.indexOf(view.matte) + 1) % MATTE_VIEWS.length]),
    },
    ...MATTE_VIEWS.map((one) => ({
      says: `Show the matte: ${MATTE_WORDS[one].toLowerCase()}`,
      does: () => void (view.matte = one),
    })),
    { says: 'The untreated picture', keys: ['B'], does: () => (view.before = view.before === 1 ? 0 : 1) },
    {
      says: 'Before and after, with a divider',
      keys: ['Shift+B'],
      does: () => (view.before = view.before > 0 && view.before < 1 ? 0 : 0.5),
    },
    { says: 'Before and after side by side', does: () => (view.aside = !view.aside) },
    { says: 'Keep this picture to compare with', does: () => picture.value?.keep() },
    { says: 'Value under the pointer', keys: ['I'], does: () => (view.reading = !view.reading) },
    { says: 'Scopes', keys: ['W'], does: () => place('scopes') },
    { says: 'Layers', keys: ['J'], does: () => place('layers') },
    { says: 'Grid laid into the motion', keys: ['L'], does: () => (view.grid = !view.grid) },
    { says: 'Zoom in', keys: ['+', '='], shown: '+', does: () => picture.value?.zoomIn() },
    { says: 'Zoom out', keys: ['-'], does: () => picture.value?.zoomOut() },
    { says: 'Fit the picture', keys: ['0'], does: () => picture.value?.fitIn() },
  ])

  const fresh = grouped('New', [
    { says: 'Faces: find and hide every one', keys: ['Q'], does: () => found.begin('faces', null, true) },
    { says: 'Lettering: find and hide it', does: () => found.begin('lettering', null, true) },
    { says: 'Sky: find it', keys: ['Y'], does: () => found.begin('sky', null, false) },
    {
      says: 'A person or thing: draw over it',
      keys: ['S'],
      does: () => cutting.take(true, selection.cutOut ? null : { into: null }),
    },
    {
      says: 'Draw over what is not it',
      keys: ['Shift+S'],
      does: () => cutting.take(false, selection.cutOut ? null : { into: null }),
    },
    ...SHAPES.map((one) => ({ says: `${one.label}: draw one`, keys: [one.key], does: () => draw(one.kind) })),
    ...CARDS.flatMap((one) => (one.more ? [{ says: one.more, does: () => one.begin(null, null) }] : [])),
    { says: 'All people, as whole figures', does: () => found.begin('people', null, true) },
    { says: 'An area to track', keys: ['A'], does: () => tools.take({ draw: 'area' }) },
    {
      says: 'A point tracker',
      keys: ['D'],
      does: () =>
        tools.take({ draw: 'tracker', motion: selection.motion?.trackers.length ? selection.motionId : null }),
    },
    { says: 'Recipes', keys: ['O'], does: () => (view.choosing = true) },
    { says: 'A title', does: () => void arranging.put('title') },
    { says: 'A colour on a layer', does: () => void arranging.put('solid') },
  ]).map((one) => ({ can: inShot, ...one }))

  const changes = grouped('Change', [
    {
      says: 'Move the shape, or its chosen points, by a pixel; with Shift ten',
      keys: ALT_ARROWS,
      shown: 'Alt + arrows',
      byKey: true,
      can: () => !onLayers() && selection.shape !== null,
      does: (event) => event && nudge(event),
    },
    {
      says: 'Put the tool’s shape in the middle, close a path',
      keys: ['Enter'],
      can: () => tools.inHand !== null,
      does: drawInTheMiddle,
    },
    {
      says: 'Take the last point of a path back',
      keys: ['Backspace'],
      can: () => tools.inHand !== null,
      does: () => picture.value?.back(),
    },
    { says: 'Chosen points: corner', keys: ['C'], can: onPoints, does: () => bend(sharp) },
    { says: 'Chosen points: curve', keys: ['V'], can: onPoints, does: () => bend(smooth) },
    {
      says: 'Take this keyframe in hand',
      keys: ['K'],
      can: onKey,
      does: () => (selection.keyInHand = lanes.sourceFrame),
    },
    { says: 'Set by hand on this frame', keys: ['K'], can: () => selection.shape !== null, does: setKey },
    { says: 'Copy the keyframe in hand here', keys: ['Shift+K'], can: canCopyKey, does: () => moveKey(true) },
    { says: 'Move the keyframe in hand here', keys: ['Alt+K'], can: canCopyKey, does: () => moveKey(false) },
    { says: 'Take back what was set by hand here', keys: ['X'], can: () => selection.shape !== null, does: takeBack },
    {
      says: 'Copy the shape',
      keys: ['Ctrl+C'],
      can: () => selection.shape !== null && !getSelection()?.toString(),
      does: () => selection.shape && clip.copy(selection.shape),
    },
    { says: 'Paste the shape into the selected region', keys: ['Ctrl+V'], does: () => void clip.paste() },
    { says: 'Switch the region on, off', keys: ['E'], can: () => selection.region !== null, does: switchRegion },
    { says: 'Find this in every other shot', can: () => selection.shape !== null, does: lookEverywhere },
    { says: 'Remove', keys: ['Delete'], can: canRemove, does: remove },
    { says: 'Leave the tool, the points, the motion, the region', keys: ['Escape'], does: leave },
  ])

  const follows = grouped('Track and propagate', [
    { says: 'Both ways', keys: ['F'], can: canGoOn, does: () => onwards('both') },
    { says: 'Forwards', keys: ['Shift+F'], can: canGoOn, does: () => onwards('forwards') },
    { says: 'Backwards', keys: ['Alt+F'], can: canGoOn, does: () => onwards('backwards') },
    { says: 'One frame forwards', keys: ['.'], can: canGoOn, does: () => onwards('next') },
    { says: 'One frame backwards', keys: [','], can: canGoOn, does: () => onwards('previous') },
    {
      says: 'Right here: go on from here',
      keys: ['G'],
      can: () => !!selection.shape?.attached_to,
      does: goOnFromHere,
    },
  ])

  const arranges = grouped('Arrange', [
    { says: 'Split before this frame', keys: ['U'], can: inShot, does: () => arranging.arrange('split') },
    { says: 'Trim the start to this frame', keys: ['['], can: inShot, does: () => arranging.arrange('begin') },
    { says: 'Trim the end to this frame', keys: [']'], can: inShot, does: () => arranging.arrange('end') },
    { says: 'Split at the cuts of the clip', can: inShot, does: () => arranging.splitAtCuts() },
    { says: 'Extend the start by a second', can: inShot, does: () => extend('extend begin') },
    { says: 'Extend the end by a second', can: inShot, does: () => extend('extend end') },
    { says: 'Slip: a frame later in the clip', can: inShot, does: () => arranging.arrange('slip', { by: 1 }) },
    { says: 'Slip: a frame earlier in the clip', can: inShot, does: () => arranging.arrange('slip', { by: -1 }) },
    { says: 'Freeze frame', can: inShot, does: () => arranging.arrange('freeze') },
    { says: 'Duplicate above', can: onItem, does: () => arranging.arrange('duplicate') },
    { says: 'To the layer above', keys: ['PageUp'], can: onItem, does: () => arranging.arrange('up') },
    { says: 'To the layer beneath', keys: ['PageDown'], can: onItem, does: () => arranging.arrange('down') },
    {
      says: 'On the layers: earlier, later, above, beneath; with Shift ten frames',
      keys: ALT_ARROWS,
      shown: 'Alt + arrows',
      byKey: true,
      can: onItem,
      does: (event) => event && lay(event),
    },
  ])

  void looks.loadRecipes()
  const recipes = () =>
    looks.recipes.map((one) => ({
      says: `Recipe: ${one.recipe.name}`,
      can: () => inShot() && looks.fits(one),
      does: () => looks.choose(one),
    }))

  const always = [...go, ...shows, ...fresh, ...changes, ...follows, ...arranges]
  return () => [...always, ...grouped('New', recipes())]
}
