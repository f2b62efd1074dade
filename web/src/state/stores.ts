// The stores of the bench by name, so that whoever needs several says so in one line.
import { useArranging } from './arranging'
import { useCommands } from './commands'
import { useLanes } from './lanes'
import { useSelection } from './selection'
import { useSession } from './session'
import { useTool } from './tool'
import { useView } from './view'

/** Each is made when it is first taken: `const { session, selection } = useStores()`. */
export function useStores() {
  return {
    get session() {
      return useSession()
    },
    get selection() {
      return useSelection()
    },
    get lanes() {
      return useLanes()
    },
    get view() {
      return useView()
    },
    get tools() {
      return useTool()
    },
    get commands() {
      return useCommands()
    },
    get arranging() {
      return useArranging()
    },
  }
}
