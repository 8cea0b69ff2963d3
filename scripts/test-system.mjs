import { installChromium, prepareNetworks } from './prepare.mjs'
import { prepareVm, VM_PROGRAMS } from './vm.mjs'

// Installs the Debian packages of the tests: a browser, programs for networks, a virtual machine.
installChromium()
prepareNetworks(VM_PROGRAMS)
prepareVm()
