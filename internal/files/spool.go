package files

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"io"
	"os"
)

// Spool holds a result until it is known to be whole: in memory, and past a few
// megabytes in a temporary file. One that goes to a new file is written there at once,
// and taken out again if it doesn't become whole.
type Spool struct {
	to        io.Writer
	maxMemory int64    // in memory
	blocks    [][]byte // that are there
	file      *os.File // temporary, with what is behind the blocks
	direct    *os.File // written at once
	size      int64
}

// A result of its own may take more memory than one of many.
const spoolMemory, heldSpoolMemory, spoolBlock = 8 << 20, 1 << 20, 256 << 10

// NewHeldSpool prepares to hold one of many results, which is read with Open.
func NewHeldSpool() *Spool { return &Spool{maxMemory: heldSpoolMemory} }

// NewOutputSpool prepares to hold what will be written to w. other is what writes beside it,
// such as warnings: where that goes to the same file, nothing is written before the end.
func NewOutputSpool(w, other io.Writer) *Spool {
	s := &Spool{to: w, maxMemory: spoolMemory}
	if f := emptyFile(w); f != nil && !sameFile(f, other) {
		s.direct = f
		tempFiles.Lock()
		defer tempFiles.Unlock()
		if tempFiles.direct == nil {
			tempFiles.direct = map[*Spool]bool{}
		}
		tempFiles.direct[s] = true
	}
	return s
}

// emptyFile is the file behind w, if that is a regular one in which nothing stands.
func emptyFile(w io.Writer) *os.File {
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
		tempFiles.Lock() // an interrupt takes it out and lets nothing more be written
		defer tempFiles.Unlock()
		n, err := s.direct.Write(p)
		s.size += int64(n)
		return n, err
	}
	if s.file == nil && s.size+int64(len(p)) <= s.maxMemory {
		s.size += int64(len(p))
		s.appendBlocks(p)
		return len(p), nil
	}
	if s.file == nil {
		f, err := temporary("", "yoyaku-", ".part", false)
		if err != nil {
			return 0, err
		}
		s.file = f
	}
	n, err := s.file.Write(p)
	s.size += int64(n)
	return n, err
}

// appendBlocks keeps bytes in blocks, so that none is copied when more come.
func (s *Spool) appendBlocks(p []byte) {
	for len(p) > 0 {
		last := len(s.blocks) - 1
		if last < 0 || len(s.blocks[last]) == cap(s.blocks[last]) {
			room := spoolBlock
			if last < 0 { // most results are small
				room = max(4<<10, len(p))
			}
			s.blocks = append(s.blocks, make([]byte, 0, room))
			last++
		}
		n := min(len(p), cap(s.blocks[last])-len(s.blocks[last]))
		s.blocks[last], p = append(s.blocks[last], p[:n]...), p[n:]
	}
}

// Size is how many bytes were written.
func (s *Spool) Size() int64 { return s.size }

// Open reads what is held; not for a result that is written at once.
func (s *Spool) Open() io.Reader {
	var parts []io.Reader
	for _, b := range s.blocks {
		parts = append(parts, bytes.NewReader(b))
	}
	if s.file != nil {
		parts = append(parts, io.NewSectionReader(s.file, 0, s.size))
	}
	return io.MultiReader(parts...)
}

// Sum is the SHA-256 of what is held, as hexadecimal digits.
func (s *Spool) Sum() string {
	sum := sha256.New()
	_, _ = io.Copy(sum, s.Open()) // a hash takes all; a file that can't be read again fails when it is put in place
	return hex.EncodeToString(sum.Sum(nil))
}

// Commit writes what is held.
func (s *Spool) Commit() error {
	if s.direct != nil {
		tempFiles.Lock()
		defer tempFiles.Unlock()
		delete(tempFiles.direct, s)
		s.direct = nil
		return nil
	}
	_, err := io.Copy(s.to, s.Open())
	return err
}

// Discard forgets it, and takes out what wasn't committed.
func (s *Spool) Discard() {
	tempFiles.Lock()
	defer tempFiles.Unlock()
	if s.direct != nil {
		s.rollback()
		delete(tempFiles.direct, s)
	}
	if s.file != nil {
		_ = s.file.Close()
		_ = os.Remove(s.file.Name())
		delete(tempFiles.temps, s.file.Name())
	}
	s.blocks, s.file = nil, nil
}

// rollback leaves the file as it was, unless somebody else has written there too.
func (s *Spool) rollback() {
	if info, err := s.direct.Stat(); err == nil && info.Size() == s.size {
		_ = s.direct.Truncate(0)
		_, _ = s.direct.Seek(0, io.SeekStart)
	}
}
