// Runs in a namespace: `dns PORT` answers look-ups by the names below; `lookup NAME TYPE SERVER udp|tcp`
// prints what a server answers; `ask NAME SERVER FOR` looks a name up until so long (ms) after the first
// answer, or for a minute without one, and prints what each answer said and how long it took (ms); `echo
// PORT…` answers UDP and TCP, and pushes UDP to whoever says "push"; `udp|push|tcp HOST PORT UNTIL` sends
// until an instant (ms) or a file is there, and prints when what was answered was sent (ms).
import { createSocket } from 'node:dgram'
import { existsSync } from 'node:fs'
import { connect, createServer } from 'node:net'
import packet from 'dns-packet'

const [mode, host, port, until] = process.argv.slice(2)
/** The milliseconds between two packets. */
const EVERY = 5

const NAMES = {
  'far.example': ['203.0.113.10', '2001:db8::10'],
  'other.example': ['203.0.113.11', '2001:db8::11'],
}

/** Names that lead to others. */
const ALIASES = { 'shop.example': 'far.example' }

if (mode === 'dns') {
  const answer = ({ id, questions: [{ name, type }] }) => {
    if (ALIASES[name.toLowerCase()]) {
      const data = ALIASES[name.toLowerCase()]
      const there = { type, name: data, ttl: 300, data: NAMES[data][type === 'A' ? 0 : 1] }
      const answers = [{ type: 'CNAME', name, ttl: 300, data }, there]
      return { type: 'response', id, questions: [{ name, type }], answers }
    }
    const data = (NAMES[name.toLowerCase()] ?? ['198.51.100.1', '2001:db8:ffff::1'])[type === 'A' ? 0 : 1]
    return { type: 'response', id, questions: [{ name, type }], answers: [{ name, type, ttl: 300, data }] }
  }
  const socket = createSocket('udp4')
  socket.on('message', (message, { address, port: from }) =>
    socket.send(packet.encode(answer(packet.decode(message))), from, address),
  )
  createServer((tcp) =>
    tcp
      .on('error', () => {})
      .on('data', (message) => tcp.write(packet.streamEncode(answer(packet.streamDecode(message))))),
  ).listen(Number(host), '0.0.0.0')
  socket.bind(Number(host), () => console.log('ready'))
} else if (mode === 'lookup') {
  const [name, type, server, over] = process.argv.slice(3)
  const query = packet.encode({
    type: 'query',
    id: 7,
    flags: packet.RECURSION_DESIRED,
    questions: [{ name, type }],
  })
  const show = (message) => {
    console.log(
      packet
        .decode(message)
        .answers.map(({ data }) => data)
        .join(),
    )
    process.exit(0)
  }
  setTimeout(() => {
    console.log('silence')
    process.exit(0)
  }, 4000)
  if (over === 'tcp')
    connect(53, server, function () {
      this.write(packet.streamEncode({ ...packet.decode(query) }))
    })
      .on('data', (message) => show(message.subarray(2)))
      .on('error', (error) => console.log(error.code))
  else {
    // As resolvers of systems do: asked again, from another port, while there is no answer.
    const ask = () =>
      createSocket(server.includes(':') ? 'udp6' : 'udp4')
        .on('message', show)
        .send(query, 53, server)
    ask()
    setInterval(ask, 1500)
  }
} else if (mode === 'ask') {
  const [name, server, lasts] = process.argv.slice(3)
  const socket = createSocket('udp4').on('error', () => {})
  const sent = new Map()
  const answers = []
  const end = () => {
    console.log(JSON.stringify(answers))
    process.exit(0)
  }
  setTimeout(end, 60_000)
  socket.on('message', (message) => {
    const {
      id,
      answers: [first],
    } = packet.decode(message)
    if (answers.length === 0) setTimeout(end, Number(lasts))
    answers.push({ data: first?.data ?? null, took: performance.now() - sent.get(id) })
  })
  setInterval(() => {
    const id = sent.size & 0xffff
    sent.set(id, performance.now())
    socket.send(
      packet.encode({ type: 'query', id, flags: packet.RECURSION_DESIRED, questions: [{ name, type: 'A' }] }),
      53,
      server,
      () => {},
    )
  }, EVERY)
} else if (mode === 'echo') {
  const ports = process.argv.slice(3).map(Number)
  for (const type of ['udp4', 'udp6']) {
    for (const own of ports) {
      const socket = createSocket({ type, ipv6Only: type === 'udp6' })
      socket.on('message', (message, { address, port: from }) => {
        if (String(message) !== 'push') return socket.send(message, from, address)
        const timer = setInterval(() => socket.send(String(Date.now()), from, address), EVERY)
        setTimeout(() => clearInterval(timer), 20_000)
      })
      socket.bind(own)
    }
  }
  const listening = ports.map(
    (own) =>
      new Promise((resolve) =>
        createServer((socket) => socket.on('error', () => {}).end('here')).listen(own, '::', resolve),
      ),
  )
  Promise.all(listening).then(() => console.log('ready'))
} else {
  const answered = []
  // "+1500" = so many milliseconds from when it runs, however long it took to start.
  const end = until.startsWith('+') ? Date.now() + Number(until) : Number(until)
  const finish = () => {
    console.log(JSON.stringify(answered))
    process.exit(0)
  }
  if (mode === 'tcp') {
    // Each try is a connection of its own; the next begins beside it.
    const timer = setInterval(() => {
      const begun = Date.now()
      const socket = connect(Number(port), host)
      socket
        .on('error', () => {})
        .on('data', () => answered.push(begun))
        .setTimeout(400, () => socket.destroy())
    }, EVERY * 2)
    setTimeout(() => clearInterval(timer), end - Date.now())
    setTimeout(finish, end - Date.now() + 1000)
  } else {
    const socket = createSocket(host.includes(':') ? 'udp6' : 'udp4')
    socket.on('error', () => {})
    socket.on('message', (message) => answered.push(Number(String(message))))
    const isOver = () => (until.startsWith('/') ? existsSync(until) : Date.now() >= end)
    if (mode === 'push') socket.send('push', Number(port), host, () => {})
    const timer = setInterval(() => {
      if (mode === 'udp') socket.send(String(Date.now()), Number(port), host, () => {})
      if (!isOver()) return
      clearInterval(timer)
      setTimeout(finish, 1000)
    }, EVERY)
  }
}
