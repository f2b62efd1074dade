import { useCommands } from '../../state/commands'
import type { PartCard } from './card'

export default {
  kind: 'matte',
  label: 'Matte',
  order: 5,
  title: 'White of a grey clip is what it covers',
  takesClip: true,
  begin(region, medium) {
    if (medium && region) void useCommands().change((shot) => ({ do: 'bring matte', shot, region, medium, how: 'add' }))
  },
} satisfies PartCard
