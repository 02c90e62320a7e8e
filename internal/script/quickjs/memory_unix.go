//go:build unix

package quickjs

import (
	"syscall"
	"time"

	"golang.org/x/sys/unix"
)

// mapMemory gives memory from the system, filled with zeros, that can be made unreachable.
func mapMemory(bytes int) ([]byte, error) {
	return unix.Mmap(-1, 0, bytes, unix.PROT_READ|unix.PROT_WRITE, unix.MAP_ANON|unix.MAP_PRIVATE)
}

// unmapMemory gives it back.
func unmapMemory(m []byte) { _ = unix.Munmap(m) } // it fails for what is no mapping, and all of these are

// forbidMemory makes every access to it a fault.
func forbidMemory(m []byte) { _ = unix.Mprotect(m, unix.PROT_NONE) }

// processTime is how long the processors have worked for this process.
func processTime() time.Duration {
	var u syscall.Rusage
	if syscall.Getrusage(syscall.RUSAGE_SELF, &u) != nil {
		return 0
	}
	return time.Duration(u.Utime.Nano() + u.Stime.Nano())
}
