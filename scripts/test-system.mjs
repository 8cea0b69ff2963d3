import { installChromium, prepareNetworks } from './prepare.mjs'
import { prepareVm, VM_PROGRAMS } from './vm.mjs'

// What the tests need of Debian: a browser, programs for networks, a virtual machine.
installChromium()
prepareNetworks(VM_PROGRAMS)
prepareVm()
