// Clocks, idle states and a thermal zone for the two processors of a machine in qemu, as firmware describes them.
// The ports lead nowhere: what the kernel decides is looked at, not what a processor makes of it.
DefinitionBlock ("power.aml", "SSDT", 2, "LATTIC", "POWER", 1)
{
  External (\_SB.CPUS.C000, DeviceObj)
  External (\_SB.CPUS.C001, DeviceObj)

  Name (CLKS, Package () {  // MHz, mW, latency and bus latency in us, what is written, what is read
    Package () { 3200, 40000, 20, 10, 4, 4 },
    Package () { 2400, 28000, 20, 10, 3, 3 },
    Package () { 1600, 17000, 20, 10, 2, 2 },
    Package () {  800,  8000, 20, 10, 1, 1 } })
  Name (PORT, Package () {
    ResourceTemplate () { Register (SystemIO, 8, 0, 0x0B00) },
    ResourceTemplate () { Register (SystemIO, 8, 0, 0x0B00) } })
  Name (IDLE, Package () { 2,
    Package () { ResourceTemplate () { Register (FFixedHW, 0, 0, 0) }, 1, 2, 900 },
    Package () { ResourceTemplate () { Register (SystemIO, 8, 0, 0x0B10) }, 2, 80, 300 } })

  Scope (\_SB.CPUS.C000)
  {
    Method (_PCT) { Return (PORT) }
    Method (_PSS) { Return (CLKS) }
    Method (_PPC) { Return (0) }
    Method (_CST) { Return (IDLE) }
    Name (_PSD, Package () { Package () { 5, 0, 0, 0xFC, 1 } })
  }
  Scope (\_SB.CPUS.C001)
  {
    Method (_PCT) { Return (PORT) }
    Method (_PSS) { Return (CLKS) }
    Method (_PPC) { Return (0) }
    Method (_CST) { Return (IDLE) }
    Name (_PSD, Package () { Package () { 5, 0, 1, 0xFC, 1 } })
  }

  ThermalZone (\_TZ.CASE)
  {
    Method (_TMP) { Return (3182) }   // tenths of a kelvin: 45 degrees Celsius
    Method (_CRT) { Return (3832) }
    Name (_TZP, 50)
  }
}
