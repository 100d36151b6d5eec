import { AllRenders } from '../../ui/renders/all-renders.tsx'

export const dynamic = 'force-dynamic'

export default function Page() {
  return <AllRenders />
}
