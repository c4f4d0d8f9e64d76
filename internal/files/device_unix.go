//go:build !windows

package files

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"syscall"
)

// openDevice opens what is no regular file: a device, or a pipe that somebody
// reads. A pipe without a reader would wait for ever.
func openDevice(path string, info fs.FileInfo) (*os.File, error) {
	if info.Mode()&fs.ModeNamedPipe != 0 {
		probe, err := os.OpenFile(path, os.O_WRONLY|syscall.O_NONBLOCK, 0)
		if errors.Is(err, syscall.ENXIO) {
			return nil, fmt.Errorf("%s is a pipe without a reader; start the reader first, or name a file", path)
		}
		if err != nil {
			return nil, err
		}
		defer probe.Close() // keeps the reader while the pipe is opened to wait where it is full
	}
	return os.OpenFile(path, os.O_WRONLY, 0)
}

// isInUse is for systems where a file that is open can't be replaced.
func isInUse(error) bool { return false }

// replaceable returns an error for a file that can't be replaced now; here any can.
func replaceable(string) error { return nil }
