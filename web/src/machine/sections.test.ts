import { expect, it } from 'vitest'
import { machinePairs, machineTables } from './sections'

it('leaves out what is not known, and says what of the firmware could not be read', () => {
  expect(machinePairs({ cores: 4 }, null)).toEqual([['cores', '4 cores']])
  expect(machinePairs({ hardware: { problem: 'the table ends at byte 9' } }, 7_200)).toEqual([
    ['uptime', '2 h at the end of this archive'],
    ['firmware', 'could not be read to its end: the table ends at byte 9'],
  ])
})

it('tells sockets, cores and threads apart', () => {
  const facts = {
    cores: 16,
    hardware: { sockets: 1, physical_cores: 8, lowest_hz: 8e8, highest_hz: 3.6e9, caches: ['L2 1280 KiB'] },
  }
  expect(machinePairs(facts, null)).toEqual([
    ['cores', '1 socket, 8 cores, 16 threads'],
    ['speed', '800\u2009MHz to 3.60\u2009GHz'],
    ['caches', 'L2 1280 KiB'],
  ])
})

it('has a table of each kind of part that there is', () => {
  const tables = machineTables({
    hardware: {
      modules: [
        { slot: 'DIMM A', size_bytes: 16 * 2 ** 30, kind: 'DDR4', speed_per_s: 3.2e9, maker: null },
        { slot: 'DIMM B', size_bytes: 0 },
      ],
    },
    disks: {
      sda: { role: 'disk', rotational: true, size_bytes: 2 ** 40 },
      md0: { role: 'volume', on: ['sda'] },
    },
    sensors: { 'hwmon0 coretemp temp1': { label: 'Package id 0', high: 85, critical: null } },
  })
  expect(tables.map(({ title, rows }) => [title, ...rows.map((row) => row.cells)])).toEqual([
    [
      'Memory modules',
      ['DIMM A', 'DDR4', '–', '16.0\u2009GiB', '3200 M'],
      ['DIMM B', '–', '–', 'empty', '–'],
    ],
    [
      'Disks',
      ['sda', 'rotating disk', '–', '', '–', '1.00\u2009TiB'],
      ['md0', 'volume', '–', 'sda', '–', '–'],
    ],
    ['Sensors', ['Package id 0', 'hwmon0 coretemp temp1', '85.0\u2009°C', '–']],
  ])
})

it('lists who listens, and says where that could not be read', () => {
  const listening = [
    { protocol: 'tcp', address: '127.0.0.1', port: 5432, program: 'postgres', user: 'postgres' },
    { protocol: 'udp', address: '::', port: 123, program: null, user: 'root' },
  ]
  expect(machineTables({ listening })[0]?.rows.map(({ cells }) => cells)).toEqual([
    ['tcp', '127.0.0.1', '5432', 'postgres', 'postgres'],
    ['udp', '::', '123', 'not readable', 'root'],
  ])
})
