import { escapeHtml } from '@dunelight/node/host'

/** The drawing as a page of its own: what a member uses and what uses it stay lit while it is pointed at or has the focus. */
export function graphPage(title: string, svg: string, summary: string): string {
  return `<!doctype html>
<html lang="en">
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>${escapeHtml(title)}: what uses what</title>
<link rel="icon" href="data:,">
<style>
  body { margin: 0; background: #fbf8f0; color: #22302f; font: 15px/1.5 ui-sans-serif, system-ui, sans-serif }
  header { padding: 20px 24px 0 } h1 { font-size: 20px; margin: 0 } p { margin: 4px 0 0; color: #4d5c5b }
  main { overflow: auto } svg { display: block; max-width: none }
  .member { cursor: default; outline: none } .member:focus-visible rect { stroke-width: 3 }
  svg.lit .member, svg.lit .link { opacity: 0.16 } svg.lit .on { opacity: 1 } svg.lit .link.on { stroke: #1f4e5f; stroke-width: 2 }
</style>
<header><h1>${escapeHtml(title)}</h1><p>${escapeHtml(summary)} What uses something stands left of it; point at a member to see its links.</p></header>
<main>${svg}</main>
<script>
  const svg = document.querySelector('svg')
  const light = (member) => {
    svg.classList.toggle('lit', member !== null)
    for (const one of svg.querySelectorAll('.on')) one.classList.remove('on')
    if (!member) return
    member.classList.add('on')
    for (const link of svg.querySelectorAll('.link')) {
      const { from, to } = link.dataset
      if (from !== member.id && to !== member.id) continue
      link.classList.add('on')
      document.getElementById(from === member.id ? to : from).classList.add('on')
    }
  }
  for (const member of svg.querySelectorAll('.member')) {
    member.addEventListener('pointerenter', () => light(member))
    member.addEventListener('pointerleave', () => light(null))
    member.addEventListener('focus', () => light(member))
    member.addEventListener('blur', () => light(null))
  }
</script>
</html>
`
}
