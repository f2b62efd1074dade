// Each tracker of a motion has a colour of its own, on the picture, in the list and on its lane.
import { useShelf } from './shelf'

export function trackerColour(index: number): string {
  const colours = useShelf().facts?.region_colours ?? []
  return colours.length ? colours[index % colours.length] : 'currentColor'
}
