# Runs in a namespace: `send INTERFACE SOURCE-MAC TARGET-MAC SOURCE TARGET KIND COUNT` sends IPv4 packets as they are, one each 5 ms;
# `count INTERFACE SOURCE FOLDER` makes FOLDER/counting and counts the IPv4 packets that come in from an address; half a second after
# somebody made FOLDER/enough it prints how many; `flood INTERFACE TARGET-MAC TARGET COUNT` sends so many from made-up MAC addresses.
import os, socket, struct, sys, time


def checksum(data):
    if len(data) % 2:
        data += b'\0'
    total = sum(struct.unpack('!%dH' % (len(data) // 2), data))
    while total >> 16:
        total = (total & 0xffff) + (total >> 16)
    return ~total & 0xffff


def tcp(source, target, flags):
    head = struct.pack('!HHIIBBHHH', 7000, 41000, 1, 1, 5 << 4, flags, 1024, 0, 0)
    pseudo = socket.inet_aton(source) + socket.inet_aton(target) + struct.pack('!BBH', 0, 6, len(head))
    return 6, head[:16] + struct.pack('!H', checksum(pseudo + head)) + head[18:]


def udp(ports, text, check=0):
    return 17, struct.pack('!HHHH', *ports, 8 + len(text), check) + text


def icmp(kind, body=b'\0\1\0\1raw'):
    head = struct.pack('!BBH', kind, 0, 0) + body
    return 1, head[:2] + struct.pack('!H', checksum(head)) + head[4:]


def payload(kind, source, target):
    flags = {'rst': 4, 'syn-ack': 0x12, 'null': 0, 'xmas': 0x29, 'ack': 0x10}
    if kind in flags:
        return tcp(source, target, flags[kind])
    if kind.startswith('udp-'):
        return udp([int(port) for port in kind.split('-')[1:]], b'raw')
    return {
        'echo-reply': lambda: icmp(0), 'unreachable': lambda: icmp(3, b'\0\0\0\0' + b'E' + b'\0' * 27),
        'bad-udp': lambda: udp([7000, 41000], b'raw', 0x1234), 'sctp': lambda: (132, struct.pack('!HHII', 7000, 41000, 1, 0) + b'\0\3\0\x14' + b'\0' * 16),
    }[kind]()


mode, interface = sys.argv[1:3]
link = socket.socket(socket.AF_PACKET, socket.SOCK_RAW, socket.htons(0x0800))
link.bind((interface, 0x0800))
if mode == 'send':
    source_mac, target_mac, source, target, kind, count = sys.argv[3:9]
    protocol, data = payload(kind, source, target)
    head = struct.pack('!BBHHHBBH4s4s', 0x45, 0, 20 + len(data), 1, 0, 64, protocol, 0, socket.inet_aton(source), socket.inet_aton(target))
    head = head[:10] + struct.pack('!H', checksum(head)) + head[12:]
    mac = lambda text: bytes.fromhex(text.replace(':', ''))
    for _ in range(int(count)):
        link.send(mac(target_mac) + mac(source_mac) + b'\x08\0' + head + data)
        time.sleep(0.005)
elif mode == 'flood':
    target_mac, target, count = sys.argv[3:6]
    _, data = udp([7000, 7000], b'raw')
    for index in range(int(count)):
        source = socket.inet_aton('192.168.77.%d' % (100 + index % 100))
        head = struct.pack('!BBHHHBBH4s4s', 0x45, 0, 20 + len(data), 1, 0, 64, 17, 0, source, socket.inet_aton(target))
        head = head[:10] + struct.pack('!H', checksum(head)) + head[12:]
        link.send(bytes.fromhex(target_mac.replace(':', '')) + b'\x02\x66' + struct.pack('!I', index) + b'\x08\0' + head + data)
        if index % 30 == 0:
            time.sleep(0.005)
else:
    source, folder = socket.inet_aton(sys.argv[3]), sys.argv[4]
    open(folder + '/counting', 'w').close()
    link.settimeout(0.05)
    found, end = 0, None
    while end is None or time.time() < end:
        if end is None and os.path.exists(folder + '/enough'):
            end = time.time() + 0.5
        try:
            frame, address = link.recvfrom(2048)
        except TimeoutError:
            continue
        if address[2] != 4 and frame[26:30] == source:
            found += 1
    print(found)
