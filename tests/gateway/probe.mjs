// Runs in a namespace: `echo PORT` answers UDP and TCP, and pushes UDP to whoever says "push"; `udp|push|tcp HOST PORT UNTIL` sends until an instant (ms) and prints when what was answered was sent (ms).
import { createSocket } from 'node:dgram'
import { connect, createServer } from 'node:net'

const [mode, host, port, until] = process.argv.slice(2)
/** How often something is sent, in milliseconds. */
const EVERY = 5

if (mode === 'echo') {
  for (const type of ['udp4', 'udp6']) {
    const socket = createSocket({ type, ipv6Only: type === 'udp6' })
    socket.on('message', (message, { address, port: from }) => {
      if (String(message) !== 'push') return socket.send(message, from, address)
      const timer = setInterval(() => socket.send(String(Date.now()), from, address), EVERY)
      setTimeout(() => clearInterval(timer), 20_000)
    })
    socket.bind(Number(host))
  }
  createServer(socket => socket.on('error', () => {}).end('here')).listen(Number(host), '::', () => console.log('ready'))
} else {
  const answered = []
  const end = Number(until)
  const finish = () => {
    console.log(JSON.stringify(answered))
    process.exit(0)
  }
  if (mode === 'tcp') {
    // Each try is a connection of its own; the next begins beside it.
    const timer = setInterval(() => {
      const begun = Date.now()
      const socket = connect(Number(port), host)
      socket.on('error', () => {}).on('data', () => answered.push(begun)).setTimeout(400, () => socket.destroy())
    }, EVERY * 2)
    setTimeout(() => clearInterval(timer), end - Date.now())
    setTimeout(finish, end - Date.now() + 1000)
  } else {
    const socket = createSocket(host.includes(':') ? 'udp6' : 'udp4')
    socket.on('error', () => {})
    socket.on('message', message => answered.push(Number(String(message))))
    const send = () => socket.send(mode === 'push' ? 'push' : String(Date.now()), Number(port), host, () => {})
    if (mode === 'push') send()
    else {
      const timer = setInterval(send, EVERY)
      setTimeout(() => clearInterval(timer), end - Date.now())
    }
    setTimeout(finish, end - Date.now() + 1000)
  }
}
