import { runLoad } from '../features/intake/runLoad.ts'

export default runLoad
