package files

import (
	"bytes"
	"io"
	"os"
)

// Spool holds a result until it is known to be whole: in memory, and past a few
// megabytes in a temporary file.
type Spool struct {
	mem  bytes.Buffer
	file *os.File
}

const spoolMemory = 8 << 20

// Write implements io.Writer.
func (s *Spool) Write(p []byte) (int, error) {
	if s.file == nil && s.mem.Len()+len(p) <= spoolMemory {
		return s.mem.Write(p)
	}
	if s.file == nil {
		f, err := temporary("", "yoyaku-*.part")
		if err != nil {
			return 0, err
		}
		s.file = f
	}
	return s.file.Write(p)
}

// CopyTo writes what is held.
func (s *Spool) CopyTo(w io.Writer) error {
	if _, err := w.Write(s.mem.Bytes()); err != nil || s.file == nil {
		return err
	}
	if _, err := s.file.Seek(0, io.SeekStart); err != nil {
		return err
	}
	_, err := io.Copy(w, s.file)
	return err
}

// Drop forgets it.
func (s *Spool) Drop() {
	if s.file != nil {
		_ = s.file.Close()
		_ = os.Remove(s.file.Name())
		staging.Lock()
		delete(staging.temps, s.file.Name())
		staging.Unlock()
	}
}
