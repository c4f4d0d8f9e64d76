package cli

import (
	"bytes"
	"io"
	"os"
)

// spool holds a result until it is known to be whole: in memory, and past a few
// megabytes in a temporary file.
type spool struct {
	mem  bytes.Buffer
	file *os.File
}

const spoolMemory = 8 << 20

func (s *spool) Write(p []byte) (int, error) {
	if s.file == nil && s.mem.Len()+len(p) <= spoolMemory {
		return s.mem.Write(p)
	}
	if s.file == nil {
		f, err := os.CreateTemp("", "yoyaku-*.part")
		if err != nil {
			return 0, err
		}
		s.file = f
		staging.Lock()
		if staging.temps == nil {
			staging.temps = map[string]bool{}
		}
		staging.temps[f.Name()] = true
		staging.Unlock()
	}
	return s.file.Write(p)
}

func (s *spool) copyTo(w io.Writer) error {
	if _, err := w.Write(s.mem.Bytes()); err != nil || s.file == nil {
		return err
	}
	if _, err := s.file.Seek(0, io.SeekStart); err != nil {
		return err
	}
	_, err := io.Copy(w, s.file)
	return err
}

func (s *spool) drop() {
	if s.file != nil {
		_ = s.file.Close()
		_ = os.Remove(s.file.Name())
		staging.Lock()
		delete(staging.temps, s.file.Name())
		staging.Unlock()
	}
}
