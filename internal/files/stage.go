// Package files reads and writes: one register of everything that is read and
// everything that will be written, files that appear whole or not at all, and
// reads that are bounded.
package files

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
)

// tempFiles holds the temporary files that exist now, so that an interrupt can
// remove them. It is locked while finished files are put in place.
var tempFiles struct {
	sync.Mutex
	temps   map[string]bool
	folders map[string]bool
	direct  map[*Spool]bool
}

// CleanUp removes what is half-written. Files that are being put in place
// are all put in place first.
func CleanUp() {
	tempFiles.Lock() // and never unlocked: nothing more is to be written
	for t := range tempFiles.temps {
		_ = os.Remove(t)
	}
	for dir := range tempFiles.folders {
		_ = os.RemoveAll(dir)
	}
	for s := range tempFiles.direct {
		s.rollback()
	}
}

// Stage collects files that appear together, each whole or not at all.
type Stage struct {
	files []*stagedFile
}

// stagedFile is a file being written beside its final place.
type stagedFile struct {
	*os.File
	final    string
	isDevice bool          // a device or pipe, written directly
	unsynced int           // bytes written since they were last sent to disk
	syncing  chan struct{} // holds one while they are being sent
}

// syncEvery is how much is written before it is sent to disk, beside what is written then.
const syncEvery = 4 << 20

// Write implements io.Writer.
func (f *stagedFile) Write(p []byte) (int, error) {
	n, err := f.File.Write(p)
	if f.unsynced += n; f.unsynced >= syncEvery && !f.isDevice {
		select {
		case f.syncing <- struct{}{}:
			f.unsynced = 0
			go func() {
				_ = f.Sync() // what fails here fails at the end too
				<-f.syncing
			}()
		default: // some is on its way still
		}
	}
	return n, err
}

// Close implements io.Closer. What is still being sent to disk would keep the file open, and
// Windows replaces and removes none that is.
func (f *stagedFile) Close() error {
	if f.syncing != nil {
		f.syncing <- struct{}{}
		<-f.syncing
	}
	return f.File.Close()
}

// Create begins a file that will be at path.
func (s *Stage) Create(path string) (io.Writer, error) {
	shared := true
	info, err := os.Stat(path)
	if link, lerr := os.Lstat(path); lerr == nil && link.Mode()&fs.ModeSymlink != 0 &&
		(err != nil || info.Mode().IsRegular()) {
		path = resolvePath(path) // what it points to is written
	}
	if err == nil {
		if info.IsDir() {
			return nil, fmt.Errorf("%s is a folder; name a file in it", path)
		}
		if !info.Mode().IsRegular() {
			f, err := openDevice(path, info)
			if err != nil {
				return nil, err
			}
			s.files = append(s.files, &stagedFile{File: f, final: path, isDevice: true})
			return f, nil
		}
		if info.Mode().Perm()&0o200 == 0 {
			return nil, &fs.PathError{Op: "replace", Path: path, Err: fs.ErrPermission}
		}
		shared = false // until it has the rights of the old one
	}
	f, err := temporary(filepath.Dir(path), "."+filepath.Base(path)+".", ".part", shared)
	if err != nil {
		var refused *fs.PathError
		switch { // what is reported is the file asked for, not the temporary one
		case errors.Is(err, fs.ErrNotExist):
			return nil, &noDirError{path}
		case errors.As(err, &refused):
			return nil, &fs.PathError{Op: "create", Path: path, Err: refused.Err}
		}
		return nil, err
	}
	staged := &stagedFile{File: f, final: path, syncing: make(chan struct{}, 1)}
	s.files = append(s.files, staged)
	return staged, nil
}

// noDirError is a file to write in a folder that isn't there.
type noDirError struct{ path string }

// Error says so.
func (e *noDirError) Error() string {
	return fmt.Sprintf("%s: there is no folder %s; create it first, or name another", e.path,
		filepath.Dir(e.path))
}

// Is makes it one of what isn't there.
func (e *noDirError) Is(target error) bool { return target == fs.ErrNotExist }

// Discard removes everything that was staged.
func (s *Stage) Discard() {
	tempFiles.Lock()
	defer tempFiles.Unlock()
	s.remove()
}

func (s *Stage) remove() {
	for _, f := range s.files {
		_ = f.Close()
		if !f.isDevice {
			_ = os.Remove(f.Name())
			delete(tempFiles.temps, f.Name())
		}
	}
	s.files = nil
}

// Commit brings all staged files to disk and only then puts them in place.
func (s *Stage) Commit() error {
	for _, f := range s.files {
		err := f.finish()
		if err == nil && !f.isDevice {
			if err = replaceable(f.final); err != nil {
				err = &replaceError{f.final, 0, err}
			}
		}
		if err != nil {
			s.Discard()
			return err
		}
	}
	tempFiles.Lock()
	defer tempFiles.Unlock()
	folders := map[string]bool{}
	defer func() {
		for dir := range folders {
			syncFolder(dir)
		}
	}()
	for i, f := range s.files {
		if f.isDevice {
			continue
		}
		folders[filepath.Dir(f.final)] = true
		if err := os.Rename(f.Name(), f.final); err != nil {
			s.files = s.files[i:]
			s.remove()
			return &replaceError{f.final, i, err}
		}
		delete(tempFiles.temps, f.Name())
	}
	s.files = nil
	return nil
}

// replaceError is a file that couldn't be put in place, behind some that were.
type replaceError struct {
	path   string
	placed int
	err    error // of the system
}

// Error names the file, and what may hold it.
func (e *replaceError) Error() string {
	var cause syscall.Errno
	text := e.path + ": "
	switch {
	case isInUse(e.err):
		text += "the file can't be replaced; if it is open in another program, such as a spreadsheet, close it there"
	case errors.As(e.err, &cause):
		text += cause.Error()
	default:
		text += e.err.Error()
	}
	if e.placed > 0 {
		return fmt.Sprintf("%s; it and the files after it were left as they were, %d before it were replaced", text, e.placed)
	}
	return text + "; nothing was written"
}

// Unwrap is the system's error, without the name of the temporary file.
func (e *replaceError) Unwrap() error {
	var cause syscall.Errno
	if errors.As(e.err, &cause) {
		return cause
	}
	return nil
}

// finish flushes a file to disk and gives it the owner and the permissions of the file
// that it replaces; a new one has those that the system's mask leaves.
func (f *stagedFile) finish() error {
	if f.isDevice {
		return f.Close()
	}
	if info, err := os.Stat(f.final); err == nil {
		keepOwner(f.File, info)
		if err := f.Chmod(info.Mode().Perm()); err != nil && filepath.Separator == '/' {
			return err
		}
	}
	if err := f.Sync(); err != nil {
		return err
	}
	return f.Close()
}

// WriteFile writes one file whole or not at all. The path has been registered.
func WriteFile(path string, fill func(io.Writer) error) error {
	var s Stage
	w, err := s.Create(path)
	if err != nil {
		return err
	}
	if err := fill(w); err != nil {
		s.Discard()
		return err
	}
	return s.Commit()
}

// temporary makes a file that an interrupt removes: it is made and noted in one step, so
// that none comes between. Its name begins and ends as said. Only its owner may read it,
// unless shared, which leaves that to the system's mask.
func temporary(dir, prefix, suffix string, shared bool) (*os.File, error) {
	mode := os.FileMode(0o600)
	if shared {
		mode = 0o666
	}
	if dir == "" {
		dir = os.TempDir()
	}
	tempFiles.Lock()
	defer tempFiles.Unlock()
	var f *os.File
	err := fs.ErrExist
	for range 1000 {
		if f, err = os.OpenFile(filepath.Join(dir, fmt.Sprintf("%s%08x%s", prefix, rand.Uint32(), suffix)),
			os.O_RDWR|os.O_CREATE|os.O_EXCL, mode); !errors.Is(err, fs.ErrExist) {
			break
		}
	}
	if err != nil && !shared && dir == os.TempDir() {
		err = &TempDirError{dir, err}
	}
	if err != nil {
		return nil, err
	}
	if tempFiles.temps == nil {
		tempFiles.temps = map[string]bool{}
	}
	tempFiles.temps[f.Name()] = true
	return f, nil
}

// CheckInside refuses a path that leaves root through a link, itself or a folder on the way,
// before anything is made.
func CheckInside(root, path string) error {
	rel, err := filepath.Rel(resolvePath(root), resolvePath(path))
	if err != nil || rel == ".." || strings.HasPrefix(rel, ".."+string(filepath.Separator)) {
		return fmt.Errorf("%s leads out of the output folder %s through a link; outputs must stay inside it", path, root)
	}
	return nil
}

// TempDir makes a folder for the temporary files of a library; Clean removes it,
// and an interrupt does.
func TempDir() (string, error) {
	tempFiles.Lock()
	defer tempFiles.Unlock()
	dir, err := os.MkdirTemp("", "yoyaku-*")
	if err != nil {
		return "", &TempDirError{os.TempDir(), err}
	}
	if tempFiles.folders == nil {
		tempFiles.folders = map[string]bool{}
	}
	tempFiles.folders[dir] = true
	return dir, nil
}

// TempDirError is a folder for temporary files in which none can be made.
type TempDirError struct {
	Dir string
	err error
}

// Error names the folder and what to do.
func (e *TempDirError) Error() string {
	cause := e.err
	var path *fs.PathError
	if errors.As(cause, &path) {
		cause = path.Err
	}
	return fmt.Sprintf("the temporary folder %s can't be used (%v); set TMPDIR to another", e.Dir, cause)
}

// RemoveDir removes a folder of TempDir.
func RemoveDir(dir string) {
	tempFiles.Lock()
	defer tempFiles.Unlock()
	_ = os.RemoveAll(dir)
	delete(tempFiles.folders, dir)
}

// RemoveTempDirs removes the folders of TempDir. The program calls it at its end, however
// it ends.
func RemoveTempDirs() {
	tempFiles.Lock()
	defer tempFiles.Unlock()
	for dir := range tempFiles.folders {
		_ = os.RemoveAll(dir)
		delete(tempFiles.folders, dir)
	}
}
