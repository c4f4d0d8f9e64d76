//go:build !windows

package files

import (
	"errors"
	"io/fs"
	"os"
	"syscall"
)

// tryLock locks an open file, unless somebody else does.
func tryLock(f *os.File) error {
	err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB)
	switch {
	case errors.Is(err, syscall.EWOULDBLOCK), errors.Is(err, syscall.EINTR):
		return errBusy
	case errors.Is(err, syscall.ENOTSUP), errors.Is(err, syscall.ENOLCK), errors.Is(err, syscall.ENOSYS):
		return ErrNoLocks
	}
	return err
}

// keepOwner gives a file the owner of the one that it replaces, as far as the system lets
// it.
func keepOwner(f *os.File, old fs.FileInfo) {
	if st, ok := old.Sys().(*syscall.Stat_t); ok {
		if f.Chown(int(st.Uid), int(st.Gid)) != nil {
			_ = f.Chown(-1, int(st.Gid))
		}
	}
}

// syncFolder brings the names in a folder to disk.
func syncFolder(dir string) {
	if f, err := os.Open(dir); err == nil {
		_ = f.Sync() // some file systems have no such thing
		f.Close()
	}
}
