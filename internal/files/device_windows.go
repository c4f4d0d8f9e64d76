package files

import (
	"errors"
	"io/fs"
	"os"
	"syscall"
)

// openDevice opens what is no regular file.
func openDevice(path string, _ fs.FileInfo) (*os.File, error) {
	return os.OpenFile(path, os.O_WRONLY, 0)
}

// errSharing is ERROR_SHARING_VIOLATION: another program has the file open.
const errSharing = syscall.Errno(32)

// isInUse reports whether an error is likely to be that of a file which another program
// has open, as a spreadsheet has: such a file can't be replaced.
func isInUse(err error) bool {
	return errors.Is(err, errSharing) || errors.Is(err, syscall.ERROR_ACCESS_DENIED)
}

// replaceable returns an error for a file that another program has open.
func replaceable(path string) error {
	f, err := os.OpenFile(path, os.O_RDWR, 0)
	if err == nil {
		return f.Close()
	}
	if isInUse(err) {
		return err
	}
	return nil
}
