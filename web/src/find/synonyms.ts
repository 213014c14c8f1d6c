/**
 * The trade's other words for what measures and counters are called here, by the word that is typed. Each stands for any of
 * the texts behind it, in a name or a title.
 */
export const SYNONYMS: Record<string, string[]> = {
  latency: ['wait', 'time per'],
  delay: ['wait', 'late'],
  'response time': ['wait'],
  await: ['wait'],
  utilization: ['busy', 'usage'],
  utilisation: ['busy', 'usage'],
  usage: ['busy'],
  throughput: ['rate'],
  bandwidth: ['rate'],
  traffic: ['rate'],
  iops: ['requests'],
  operations: ['requests'],
  'queue depth': ['queue', 'in flight'],
  retransmit: ['retrans'],
  retransmits: ['retrans'],
  retransmission: ['retrans'],
  retransmissions: ['retrans'],
  pressure: ['stall', 'strain'],
  psi: ['stall'],
  cpu: ['processor', 'core'],
  ram: ['memory'],
  nic: ['interface', 'net.'],
  lan: ['net.'],
  ethernet: ['net.'],
  ipv6: ['ip6', 'ipv6', 'network.type=ipv6'],
  ipv4: ['ipv4', 'network.ip'],
  icmp: ['icmp'],
  numa: ['memory node', 'memory.node', 'node'],
  'context switches': ['switches', 'context_switches'],
  'context switch': ['switches', 'context_switches'],
  cs: ['context_switches'],
  interrupts: ['interrupt'],
  irq: ['interrupt'],
  softirq: ['soft interrupt', 'softirq'],
  dirty: ['dirty', 'writeback'],
  oom: ['oom', 'out-of-memory', 'out of memory'],
  paging: ['fault', 'swap'],
  'page faults': ['fault'],
  swapping: ['swap'],
  load: ['load'],
  steal: ['steal', 'stolen'],
  iowait: ['iowait', 'i/o wait'],
  drops: ['drop'],
  dropped: ['drop'],
  errors: ['error'],
  buffers: ['buffer', 'cache'],
  inodes: ['inode'],
  temperature: ['temperature', 'sensor'],
  frequency: ['frequency', 'core speed'],
}

/** The kernel's names of protocols by the trade's; their events are columns of one counter. */
export const PROTOCOLS: Record<string, string[]> = {
  icmp: ['icmp', 'icmp6'],
  icmpv6: ['icmp6'],
  ipv4: ['ip', 'ipext'],
  ipv6: ['ip6', 'icmp6', 'udp6'],
  ip6: ['ip6'],
  tcp: ['tcp', 'tcpext'],
  udp: ['udp', 'udp6'],
  mptcp: ['mptcpext'],
}
export const PROTOCOL_COUNTER = 'system.network.linux.protocol'

/** What each part of a typed text may stand for: itself, or what the trade's word means here. */
export function meanings(typed: string): string[][] {
  let text = typed.trim().toLowerCase()
  const out: string[][] = []
  // Words that belong together are taken first.
  for (const [phrase, meant] of Object.entries(SYNONYMS))
    if (phrase.includes(' ') && text.includes(phrase)) {
      out.push([phrase, ...meant])
      text = text.replace(phrase, ' ')
    }
  for (const word of text.split(/\s+/).filter(Boolean)) out.push([word, ...(SYNONYMS[word] ?? [])])
  return out
}
