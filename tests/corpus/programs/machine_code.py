from capstone import CS_ARCH_X86, CS_MODE_64, Cs
for i in Cs(CS_ARCH_X86, CS_MODE_64).disasm(b"\x55\x48\x89\xe5", 0x1000):
    print(i.mnemonic, i.op_str)
from unicorn import UC_ARCH_X86, UC_MODE_64, Uc
machine = Uc(UC_ARCH_X86, UC_MODE_64)
machine.mem_map(0x1000, 0x1000)
machine.mem_write(0x1000, b"\x48\xff\xc0")
machine.emu_start(0x1000, 0x1003)
from unicorn.x86_const import UC_X86_REG_RAX
print(machine.reg_read(UC_X86_REG_RAX))
