package quickjs

import (
	"time"
	"unsafe"

	"golang.org/x/sys/windows"
)

// mapMemory gives memory from the system, filled with zeros, that can be made unreachable.
func mapMemory(bytes int) ([]byte, error) {
	p, err := windows.VirtualAlloc(0, uintptr(bytes), windows.MEM_COMMIT|windows.MEM_RESERVE, windows.PAGE_READWRITE)
	if err != nil {
		return nil, err
	}
	return unsafe.Slice((*byte)(unsafe.Add(nil, p)), bytes), nil
}

// unmapMemory gives it back.
func unmapMemory(m []byte) {
	_ = windows.VirtualFree(uintptr(unsafe.Pointer(unsafe.SliceData(m))), 0, windows.MEM_RELEASE)
}

// forbidMemory makes every access to it a fault.
func forbidMemory(m []byte) {
	var old uint32
	_ = windows.VirtualProtect(uintptr(unsafe.Pointer(unsafe.SliceData(m))), uintptr(len(m)), windows.PAGE_NOACCESS, &old)
}

// processTime is how long the processors have worked for this process.
func processTime() time.Duration {
	var created, ended, kernel, user windows.Filetime
	if windows.GetProcessTimes(windows.CurrentProcess(), &created, &ended, &kernel, &user) != nil {
		return 0
	}
	ticks := func(f windows.Filetime) int64 { return int64(f.HighDateTime)<<32 | int64(f.LowDateTime) }
	return time.Duration(100 * (ticks(kernel) + ticks(user)))
}
