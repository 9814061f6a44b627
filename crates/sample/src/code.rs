//! Position-independent machine code for x86 and x86-64: calls of system functions with texts and numbers, and jumps
//! between them.
//!
//! On x86 `ebx` contains the address of a known place; on x86-64 addresses are relative to the next instruction.
//! `esi` contains the saved value, `edi` counts, and a buffer is on the stack. Encodings after the processor's
//! manual, volume 2.

/// The library of the system whose functions images call.
pub(crate) const KERNEL: &str = "KERNEL32.dll";

/// How long a value of the environment may be, with its final zero.
const LONGEST_VALUE: u32 = 260;

/// Room on the stack: that of a call's first four arguments on x86-64, then the buffer, aligned as calls
/// want it.
const FRAME: u32 = 0x148;
/// The offset of the buffer in the frame.
const BUFFER: u32 = 0x30;
const _: () = assert!(BUFFER + LONGEST_VALUE <= FRAME);

/// An argument of a function.
#[derive(Debug, Clone, Copy)]
pub(crate) enum Value<'a> {
    /// A number.
    Number(u32),
    /// The address of a text of the image.
    Text(&'a str),
    /// The address of the buffer.
    Buffer,
    /// The last saved value.
    Saved,
}

/// If an image's texts and the slots of its imports are, relative to its start.
pub(crate) trait Addresses {
    /// The address of a text.
    fn text(&self, text: &str) -> u32;
    /// If the loader puts the address of an imported function.
    fn slot(&self, dll: &str, symbol: &str) -> u32;
}

/// A jump whose end is not known yet.
#[derive(Debug)]
#[must_use]
pub(crate) struct Jump(usize);

/// Code under way.
pub(crate) struct Code<'a> {
    /// The code so far.
    pub bytes: Vec<u8>,
    wide: bool,
    /// If the code will be, relative to the image's start.
    address: u32,
    addresses: &'a dyn Addresses,
    /// The place that `ebx` holds.
    anchor: u32,
}

impl<'a> Code<'a> {
    /// Begins a function that keeps the registers that belong to its caller.
    pub fn begin(wide: bool, address: u32, addresses: &'a dyn Addresses) -> Self {
        let mut code = Self { bytes: Vec::new(), wide, address, addresses, anchor: 0 };
        if wide {
            // push rsi, push rdi, sub rsp
            code.put(&[0x56, 0x57, 0x48, 0x81, 0xEC]);
            code.number(FRAME);
        } else {
            // push ebx, push esi, push edi, sub esp, call the next, pop ebx
            code.put(&[0x53, 0x56, 0x57, 0x81, 0xEC]);
            code.number(FRAME);
            code.put(&[0xE8, 0, 0, 0, 0]);
            code.anchor = code.next();
            code.put(&[0x5B]);
        }
        code
    }

    /// Ends it: the caller's registers are restored, and it returns 1; on x86 it takes so many bytes of arguments off
    /// the stack.
    pub fn end(&mut self, arguments: u16) {
        self.put(&[0xB8, 1, 0, 0, 0]);
        if self.wide {
            self.put(&[0x48]);
        }
        self.put(&[0x81, 0xC4]);
        self.number(FRAME);
        if self.wide {
            self.put(&[0x5F, 0x5E, 0xC3]);
        } else {
            self.put(&[0x5F, 0x5E, 0x5B, 0xC2]);
            self.put(&arguments.to_le_bytes());
        }
    }

    /// Skips the following code unless the second argument of a library's entry point is "process attach".
    pub fn jump_unless_attached(&mut self) -> Jump {
        if self.wide {
            self.put(&[0x83, 0xFA, 1]);
        } else {
            // After the frame follow three registers, the return address and the first argument.
            self.put(&[0x83, 0xBC, 0x24]);
            self.number(FRAME + 5 * 4);
            self.put(&[1]);
        }
        self.conditional(0x85)
    }

    /// Calls a function of the system.
    pub fn call(&mut self, function: &str, values: &[Value<'_>]) {
        if self.wide {
            for (at, value) in values.iter().enumerate() {
                self.argument(at, *value);
            }
        } else {
            values.iter().rev().enumerate().for_each(|(pushed, value)| self.push(*value, pushed));
        }
        self.call_slot(self.addresses.slot(KERNEL, function));
    }

    /// Calls the function in an import slot.
    pub fn call_slot(&mut self, slot: u32) {
        self.put(if self.wide { &[0xFF, 0x15] } else { &[0xFF, 0x93] });
        self.place(slot);
    }

    /// Ends the process with the result of the last call.
    pub fn exit_with_result(&mut self, exit: u32) {
        self.put(if self.wide { &[0x89, 0xC1] } else { &[0x50] });
        self.call_slot(exit);
    }

    /// Fills the buffer with the value of a variable; the result is its length.
    pub fn get_variable(&mut self, name: &str) {
        let values = [Value::Text(name), Value::Buffer, Value::Number(LONGEST_VALUE)];
        self.call("GetEnvironmentVariableA", &values);
    }

    /// Makes the buffer an empty text.
    pub fn clear_buffer(&mut self) {
        self.put(&[0xC6, 0x84, 0x24]);
        self.number(BUFFER);
        self.put(&[0]);
    }

    /// Saves the result of the last call.
    pub fn save(&mut self) {
        self.put(if self.wide { &[0x48, 0x89, 0xC6] } else { &[0x89, 0xC6] });
    }

    /// Begins to count.
    pub fn count_from(&mut self, count: u32) {
        self.put(&[0xBF]);
        self.number(count.max(1));
    }

    /// Counts down, and goes back to a place as long as there is something left.
    pub fn count_down_to(&mut self, place: u32) {
        self.put(&[0x83, 0xEF, 1, 0x0F, 0x85]);
        let behind = self.next() + 4;
        self.number(place.wrapping_sub(behind));
    }

    /// The address of the next instruction.
    pub fn here(&self) -> u32 {
        self.next()
    }

    /// Jumps if the last call returned zero.
    pub fn jump_if_zero(&mut self) -> Jump {
        self.put(&[0x85, 0xC0]);
        self.conditional(0x84)
    }

    /// Jumps unless the last call returned the number that means failure.
    pub fn jump_unless_minus_one(&mut self) -> Jump {
        self.put(&[0x83, 0xF8, 0xFF]);
        self.conditional(0x85)
    }

    /// Jumps.
    pub fn jump(&mut self) -> Jump {
        self.put(&[0xE9, 0, 0, 0, 0]);
        Jump(self.bytes.len())
    }

    /// Lets a jump end here.
    pub fn land(&mut self, Jump(behind): Jump) {
        let distance = (self.bytes.len() - behind) as u32;
        self.bytes[behind - 4..behind].copy_from_slice(&distance.to_le_bytes());
    }

    fn conditional(&mut self, condition: u8) -> Jump {
        self.put(&[0x0F, condition, 0, 0, 0, 0]);
        Jump(self.bytes.len())
    }

    /// Puts a value where x86-64 expects the argument of that number.
    fn argument(&mut self, at: usize, value: Value<'_>) {
        const LOAD_NUMBER: [&[u8]; 4] = [&[0xB9], &[0xBA], &[0x41, 0xB8], &[0x41, 0xB9]];
        const LOAD_ADDRESS: [&[u8]; 4] =
            [&[0x48, 0x8D, 0x0D], &[0x48, 0x8D, 0x15], &[0x4C, 0x8D, 0x05], &[0x4C, 0x8D, 0x0D]];
        const LOAD_STACK: [&[u8]; 4] = [
            &[0x48, 0x8D, 0x8C, 0x24],
            &[0x48, 0x8D, 0x94, 0x24],
            &[0x4C, 0x8D, 0x84, 0x24],
            &[0x4C, 0x8D, 0x8C, 0x24],
        ];
        const LOAD_SAVED: [&[u8]; 4] =
            [&[0x48, 0x89, 0xF1], &[0x48, 0x89, 0xF2], &[0x49, 0x89, 0xF0], &[0x49, 0x89, 0xF1]];
        match value {
            Value::Number(number) => {
                self.put(LOAD_NUMBER[at]);
                self.number(number);
            }
            Value::Text(text) => {
                self.put(LOAD_ADDRESS[at]);
                self.place(self.addresses.text(text));
            }
            Value::Buffer => {
                self.put(LOAD_STACK[at]);
                self.number(BUFFER);
            }
            Value::Saved => self.put(LOAD_SAVED[at]),
        }
    }

    /// Pushes a value, as x86 expects arguments, when `depth` values are on the stack already.
    fn push(&mut self, value: Value<'_>, pushed: usize) {
        match value {
            Value::Number(number) => {
                self.put(&[0x68]);
                self.number(number);
            }
            Value::Text(text) => {
                self.put(&[0x8D, 0x83]);
                self.place(self.addresses.text(text));
                self.put(&[0x50]);
            }
            Value::Buffer => {
                self.put(&[0x8D, 0x84, 0x24]);
                self.number(BUFFER + 4 * pushed as u32);
                self.put(&[0x50]);
            }
            Value::Saved => self.put(&[0x56]),
        }
    }

    /// The distance to a place of the image.
    fn place(&mut self, place: u32) {
        let from = if self.wide { self.next() + 4 } else { self.anchor };
        self.number(place.wrapping_sub(from));
    }

    fn next(&self) -> u32 {
        self.address + self.bytes.len() as u32
    }

    fn number(&mut self, number: u32) {
        self.put(&number.to_le_bytes());
    }

    fn put(&mut self, bytes: &[u8]) {
        self.bytes.extend_from_slice(bytes);
    }
}
