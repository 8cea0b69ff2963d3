<script setup lang="ts">
import { useNetwork } from '../../stores/network.ts'

/** What to do to connect the gateway of a real network. */
const network = useNetwork()
const toast = useToast()
const STEPS = [
  { title: 'On the router', words: 'A Linux router with Node 20.19 or newer and the packages nftables and iproute2.', lines: [
    'git clone … /opt/kairostat && cd /opt/kairostat',
    'npm install --no-save && bin/kairostat gateway --help',
    'install -d -m 700 /etc/kairostat && head -c 24 /dev/urandom | base64 > /etc/kairostat/token',
    'cp packaging/kairostat-gateway.service /etc/systemd/system/',
    'systemctl enable --now kairostat-gateway',
  ] },
  { title: 'Kairostat on the same computer', words: 'Stop it, then start it with:', lines: ['KAIROSTAT_GATEWAY=unix:/run/kairostat/gateway.sock KAIROSTAT_GATEWAY_TOKEN="$(cat /etc/kairostat/token)" npm start'] },
  { title: 'Kairostat on another computer', words: 'Let the gateway listen on its address (--listen tls:192.168.77.1:3310), copy the token by hand, and start Kairostat with:', lines: ['KAIROSTAT_GATEWAY=tls://192.168.77.1:3310 KAIROSTAT_GATEWAY_TOKEN=… npm start'] },
] as const

async function copy(lines: readonly string[]) {
  await navigator.clipboard.writeText(lines.join('\n')).then(
    () => toast.add({ title: 'Copied.' }),
    () => toast.add({ title: 'The browser does not allow copying here. Select the text instead.', color: 'error' }))
}
</script>

<template>
  <section id="connect" aria-label="Connect a gateway">
    <h2>Connect a gateway</h2>
    <p class="soft">The gateway is the router that enforces your rules. {{ network.gateway?.status?.plane === 'simulated' ? 'Now a simulated one runs, so nothing on a real network is blocked.' : 'One is connected. To connect another:' }}</p>
    <ol>
      <li v-for="step in STEPS" :key="step.title">
        <h3>{{ step.title }}</h3>
        <p class="soft">{{ step.words }}</p>
        <div class="code"><pre tabindex="0" :aria-label="`Commands: ${step.title}`">{{ step.lines.join('\n') }}</pre><UButton :aria-label="`Copy the commands: ${step.title}`" @click="copy(step.lines)">Copy</UButton></div>
      </li>
    </ol>
    <p class="soft">When “up to date” appears under the name at the top left, the gateway has your rules.</p>
  </section>
</template>

<style scoped>
ol { margin: 12px 0; display: flex; flex-direction: column; gap: 14px; }
.code { display: flex; gap: 10px; align-items: start; margin-top: 4px; }
pre { flex: 1; min-width: 0; overflow-x: auto; background: var(--leaf); border: 1px solid var(--hair); border-radius: 8px; padding: 8px 12px; font-size: 13px; }
</style>
