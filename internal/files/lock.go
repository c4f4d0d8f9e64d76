package files

import (
	"errors"
	"fmt"
	"os"
	"time"
)

// LockWait is how long a writer waits for another one.
const LockWait = 30 * time.Second

// lockPoll is how often it looks.
const lockPoll = 20 * time.Millisecond

// errBusy is a lock that somebody else holds; ErrNoLocks a file system without locks.
var (
	errBusy    = errors.New("locked")
	ErrNoLocks = errors.New("this file system has no locks")
)

// LockedError is a lock that another program held for too long.
type LockedError struct{ Path string }

// Error says what to do.
func (e *LockedError) Error() string {
	return fmt.Sprintf("%s is still locked by another program after %d seconds; nothing was written. Try again when that has ended", e.Path, int(LockWait/time.Second))
}

// Lock takes the advisory lock on an empty file, which is made if need be and stays. It
// waits for another holder; after wait the error is a *LockedError. The lock ends with the
// program at the latest. ErrNoLocks is returned with an unlock that does nothing.
func Lock(path string, wait time.Duration) (unlock func(), err error) {
	f, err := os.OpenFile(path, os.O_RDWR|os.O_CREATE, 0o666)
	if err != nil {
		return func() {}, err
	}
	for end := time.Now().Add(wait); ; time.Sleep(lockPoll) {
		switch err := tryLock(f); {
		case err == nil:
			return func() { _ = f.Close() }, nil
		case !errors.Is(err, errBusy):
			f.Close()
			return func() {}, err
		case time.Now().After(end):
			f.Close()
			return func() {}, &LockedError{path}
		}
	}
}
