package files

import (
	"bytes"
	"io"
	"os"
)

// Spool holds a result until it is known to be whole: in memory, and past a few
// megabytes in a temporary file. One that goes to a new file is written there at once,
// and taken out again if it doesn't become whole.
type Spool struct {
	to     io.Writer
	mem    bytes.Buffer
	file   *os.File // temporary
	direct *os.File // written at once
	wrote  int64
}

const spoolMemory = 8 << 20

// NewSpool prepares to hold what will be written to w. other is what writes beside it,
// such as warnings: where that goes to the same file, nothing is written before the end.
func NewSpool(w, other io.Writer) *Spool {
	s := &Spool{to: w}
	if f := fresh(w); f != nil && !sameFile(f, other) {
		s.direct = f
		staging.Lock()
		defer staging.Unlock()
		if staging.direct == nil {
			staging.direct = map[*Spool]bool{}
		}
		staging.direct[s] = true
	}
	return s
}

// fresh is the file behind w, if that is a regular one in which nothing stands.
func fresh(w io.Writer) *os.File {
	f, ok := w.(*os.File)
	if !ok {
		return nil
	}
	if info, err := f.Stat(); err != nil || !info.Mode().IsRegular() || info.Size() > 0 {
		return nil
	}
	if at, err := f.Seek(0, io.SeekCurrent); err != nil || at > 0 {
		return nil
	}
	return f
}

func sameFile(f *os.File, w io.Writer) bool {
	g, ok := w.(*os.File)
	if !ok {
		return false
	}
	one, err := f.Stat()
	if err != nil {
		return true
	}
	two, err := g.Stat()
	return err != nil || os.SameFile(one, two)
}

// Write implements io.Writer.
func (s *Spool) Write(p []byte) (int, error) {
	if s.direct != nil {
		staging.Lock() // an interrupt takes it out and lets nothing more be written
		defer staging.Unlock()
		n, err := s.direct.Write(p)
		s.wrote += int64(n)
		return n, err
	}
	if s.file == nil && s.mem.Len()+len(p) <= spoolMemory {
		return s.mem.Write(p)
	}
	if s.file == nil {
		f, err := temporary("", "yoyaku-", ".part", false)
		if err != nil {
			return 0, err
		}
		s.file = f
	}
	return s.file.Write(p)
}

// Commit writes what is held.
func (s *Spool) Commit() error {
	if s.direct != nil {
		staging.Lock()
		defer staging.Unlock()
		delete(staging.direct, s)
		s.direct = nil
		return nil
	}
	if _, err := s.to.Write(s.mem.Bytes()); err != nil || s.file == nil {
		return err
	}
	if _, err := s.file.Seek(0, io.SeekStart); err != nil {
		return err
	}
	_, err := io.Copy(s.to, s.file)
	return err
}

// Drop forgets it, and takes out what wasn't committed.
func (s *Spool) Drop() {
	staging.Lock()
	defer staging.Unlock()
	if s.direct != nil {
		s.takeOut()
		delete(staging.direct, s)
	}
	if s.file != nil {
		_ = s.file.Close()
		_ = os.Remove(s.file.Name())
		delete(staging.temps, s.file.Name())
	}
}

// takeOut leaves the file as it was, unless somebody else has written there too.
func (s *Spool) takeOut() {
	if info, err := s.direct.Stat(); err == nil && info.Size() == s.wrote {
		_ = s.direct.Truncate(0)
		_, _ = s.direct.Seek(0, io.SeekStart)
	}
}
