package files

import (
	"bytes"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"sync/atomic"
	"testing"
	"time"
)

func write(t *testing.T, path, text string) {
	t.Helper()
	if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
}

func read(t *testing.T, path string) string {
	t.Helper()
	data, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	return string(data)
}

// What would lose a file is refused, in whatever order its uses are named and by
// whatever path; the rest isn't.
func TestRegister(t *testing.T) {
	t.Chdir(t.TempDir())
	for _, dir := range []string{"in", "out"} {
		if err := os.Mkdir(dir, 0o755); err != nil {
			t.Fatal(err)
		}
	}
	write(t, "in/a.csv", "a")
	if runtime.GOOS != "windows" {
		if err := errors.Join(os.Link("in/a.csv", "in/hard.csv"), os.Symlink("in/a.csv", "soft.csv"), os.Symlink("in", "folder")); err != nil {
			t.Fatal(err)
		}
	}
	for _, c := range []struct{ uses, want string }{ // < reads, > writes, | is standard output
		{"<in/a.csv |in/a.csv", "in/a.csv is both read and written by this command (the shell"},
		{"|in/a.csv <soft.csv", "soft.csv is both read and written by this command (the shell"},
		{"|in/a.csv >out/b.csv", ""},
		{"<in/a.csv >out/b.csv", ""},
		{"<in/a.csv <in/a.csv", ""},
		{"<in/a.csv >in/a.csv", "in/a.csv is both read and written by this command"},
		{">in/a.csv <in/a.csv", "in/a.csv is both read and written by this command"},
		{"<in/a.csv >./in/../in/a.csv", "is both read and written by this command"},
		{"<in/a.csv >in/hard.csv", "is both read and written by this command"},
		{"<in/a.csv >soft.csv", "is both read and written by this command"},
		{"<in/a.csv >folder/a.csv", "is both read and written by this command"},
		{">new.csv >new.csv", "new.csv would be written twice"},
		{">out/new.csv >out/./new.csv", "would be written twice"},
		{">pay.csv >pay.csv/x.csv", "one is a file, the other needs a folder"},
		{">pay.csv/x.csv >pay.csv", "one is a file, the other needs a folder"},
		{">pay.csv >pay.csv2", ""},
		{">folder/x.csv >in/x.csv", "would be written twice"},
	} {
		var r Registry
		var err error
		for _, use := range strings.Fields(c.uses) {
			switch use[0] {
			case '<':
				err = errors.Join(err, r.AddInput(use[1:]))
			case '|':
				f, ferr := os.OpenFile(use[1:], os.O_APPEND|os.O_WRONLY, 0)
				err = errors.Join(err, ferr, r.SetStdout(f))
				defer f.Close()
			default:
				err = errors.Join(err, r.AddOutput(use[1:]))
			}
		}
		if runtime.GOOS == "windows" && strings.ContainsAny(c.uses, "hsf") {
			continue
		}
		var clash *ClashError
		if (err == nil) != (c.want == "") || err != nil && (!errors.As(err, &clash) || !strings.Contains(err.Error(), c.want)) {
			t.Errorf("%s: %v, want %q", c.uses, err, c.want)
		}
	}
}

// Files of a stage appear together or not at all; what was there stays until
// then, with its permissions.
func TestStage(t *testing.T) {
	t.Chdir(t.TempDir())
	write(t, "old.csv", "old")
	if err := os.Chmod("old.csv", 0o600); err != nil {
		t.Fatal(err)
	}
	var s Stage
	for _, name := range []string{"old.csv", "new.csv"} {
		w, err := s.Create(name)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := io.WriteString(w, "fresh"); err != nil {
			t.Fatal(err)
		}
	}
	if got := read(t, "old.csv"); got != "old" {
		t.Errorf("before the end the old file holds %q", got)
	}
	if err := s.Commit(); err != nil {
		t.Fatal(err)
	}
	info, err := os.Stat("old.csv")
	if err != nil || read(t, "old.csv") != "fresh" || read(t, "new.csv") != "fresh" || runtime.GOOS != "windows" && info.Mode().Perm() != 0o600 {
		t.Errorf("after it: %v %v", info.Mode(), err)
	}
	if w, err := s.Create("third.csv"); err != nil {
		t.Fatal(err)
	} else if _, err := io.WriteString(w, "half"); err != nil {
		t.Fatal(err)
	}
	s.Discard()
	if err := WriteFile("old.csv", func(io.Writer) error { return io.ErrUnexpectedEOF }); !errors.Is(err, io.ErrUnexpectedEOF) || read(t, "old.csv") != "fresh" {
		t.Errorf("a file that fails half-way: %v", err)
	}
	if left, _ := filepath.Glob(".*.part"); len(left) > 0 {
		t.Errorf("left behind: %v", left)
	}
	// One that can't be put in place is reported by its own name, and what became of the others.
	for at, want := range []string{"taken: file exists; nothing was written", "taken: file exists; it and the files after it were left as they were, 1 before it were replaced"} {
		for _, name := range [][]string{{"taken", "new.csv"}, {"new.csv", "taken"}}[at] {
			if _, err := s.Create(name); err != nil {
				t.Fatal(err)
			}
		}
		if err := os.Mkdir("taken", 0o755); err != nil {
			t.Fatal(err)
		}
		if err := s.Commit(); err == nil || runtime.GOOS == "linux" && err.Error() != want {
			t.Errorf("%v, want %s", err, want)
		}
		if err := os.Remove("taken"); err != nil || read(t, "new.csv") != []string{"fresh", ""}[at] {
			t.Errorf("new.csv holds %q, %v", read(t, "new.csv"), err)
		}
	}
	for name, want := range map[string]error{"no/such/x.csv": fs.ErrNotExist, "old.csv/x.csv": nil} {
		_, err := s.Create(name)
		var path *fs.PathError
		if err == nil || want != nil && !errors.Is(err, want) || errors.As(err, &path) && path.Path != name {
			t.Errorf("%s: %v", name, err)
		}
	}
	if _, err := s.Create("."); err == nil || !strings.Contains(err.Error(), "is a folder") {
		t.Errorf("a folder: %v", err)
	}
	if err := os.Chmod("old.csv", 0o444); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Create("old.csv"); !errors.Is(err, fs.ErrPermission) {
		t.Errorf("a read-only file: %v", err)
	}
}

// Links are followed to what they point to, and never out of the output folder.
func TestRegistry_links(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("links need rights there")
	}
	dir := t.TempDir()
	t.Chdir(dir)
	if err := errors.Join(os.Mkdir("out", 0o755), os.Mkdir("elsewhere", 0o755), os.Symlink(filepath.Join(dir, "elsewhere"), "out/away"), os.Symlink("real.csv", "link.csv")); err != nil {
		t.Fatal(err)
	}
	for range 2 { // the second time the file is there
		if err := WriteFile("link.csv", func(w io.Writer) error { _, err := io.WriteString(w, "x"); return err }); err != nil {
			t.Fatal(err)
		}
		if info, err := os.Lstat("link.csv"); err != nil || info.Mode()&fs.ModeSymlink == 0 || read(t, "real.csv") != "x" {
			t.Errorf("the link was replaced: %v", err)
		}
	}
	if err := errors.Join(os.Symlink("later.csv", "out/first.csv"), os.Symlink("out/first.csv", "second.csv")); err != nil {
		t.Fatal(err)
	}
	if got, want := resolvePath("second.csv"), filepath.Join(dir, "out", "later.csv"); got != want {
		t.Errorf("a link to a link to what isn't there leads to %s, want %s", got, want)
	}
	for path, inside := range map[string]bool{"out/a.csv": true, "out/new/deep/a.csv": true, "out/away/a.csv": false, "out/away/new/a.csv": false, "other/a.csv": false} {
		if err := CheckInside("out", path); (err == nil) != inside {
			t.Errorf("%s: %v", path, err)
		}
	}
	if left, _ := os.ReadDir("elsewhere"); len(left) > 0 {
		t.Errorf("made outside: %v", left)
	}
}

// A spool gives back what it took, small or large, and leaves nothing.
func TestSpool(t *testing.T) {
	t.Setenv("TMPDIR", t.TempDir())
	for _, size := range []int{0, 10, spoolMemory, spoolMemory + 1, 2*spoolMemory + 5} {
		var b bytes.Buffer
		s := NewOutputSpool(&b, nil)
		want := bytes.Repeat([]byte("0123456789abcde\n"), size/16+1)[:size]
		for rest := want; len(rest) > 0; {
			n := min(len(rest), 1<<20)
			if _, err := s.Write(rest[:n]); err != nil {
				t.Fatal(err)
			}
			rest = rest[n:]
		}
		if b.Len() > 0 {
			t.Errorf("%d bytes: %d went out before the end", size, b.Len())
		}
		if err := s.Commit(); err != nil || !bytes.Equal(b.Bytes(), want) {
			t.Errorf("%d bytes: %d came back, %v", size, b.Len(), err)
		}
		s.Discard()
	}
	dir, err := TempDir()
	if err != nil {
		t.Fatal(err)
	}
	write(t, filepath.Join(dir, "x"), "x")
	RemoveTempDirs()
	if left, _ := os.ReadDir(os.Getenv("TMPDIR")); len(left) > 0 {
		t.Errorf("left behind: %v", left)
	}
}

// A result for a new file is written there at once, and is gone again if it doesn't
// become whole; where something is there, or is written beside it, it is held.
func TestSpoolInPlace(t *testing.T) {
	t.Chdir(t.TempDir())
	for _, c := range []struct {
		what          string
		before        string // what is in the file
		flag          int
		beside        bool // warnings go there too
		early         string
		dropped, kept string
	}{
		{"a new file", "", 0, false, "row", "", "row"},
		{"a file to append to", "", os.O_APPEND, false, "row", "", "row"},
		{"one with a line", "old\n", os.O_APPEND, false, "old\n", "old\n", "old\nrow"},
		{"one written over", "old\n", 0, false, "old\n", "old\n", "row\n"},
		{"warnings beside it", "", 0, true, "", "", "row"},
	} {
		for _, whole := range []bool{false, true} {
			write(t, "out", c.before)
			f, err := os.OpenFile("out", os.O_WRONLY|c.flag, 0)
			if err != nil {
				t.Fatal(err)
			}
			s := NewOutputSpool(f, map[bool]*os.File{true: f, false: os.Stderr}[c.beside])
			fmt.Fprint(s, "row")
			early, _ := os.ReadFile("out")
			want := c.dropped
			if whole {
				want = c.kept
				if err := s.Commit(); err != nil {
					t.Fatal(err)
				}
			}
			s.Discard()
			end, _ := os.ReadFile("out")
			if string(early) != c.early || string(end) != want {
				t.Errorf("%s, whole %v: %q, then %q, want %q", c.what, whole, early, end, want)
			}
			f.Close()
		}
	}
	write(t, "out", "")
	f, _ := os.OpenFile("out", os.O_RDWR, 0)
	defer f.Close()
	s := NewOutputSpool(f, nil)
	fmt.Fprint(s, "row")
	if g, err := os.OpenFile("out", os.O_WRONLY|os.O_APPEND, 0); err == nil {
		fmt.Fprint(g, ", another's")
		g.Close()
	}
	s.Discard()
	if data, _ := os.ReadFile("out"); string(data) != "row, another's" {
		t.Errorf("what somebody else wrote: %q", data)
	}
}

func TestReadAll(t *testing.T) {
	t.Chdir(t.TempDir())
	write(t, "a", "12345")
	for _, c := range []struct {
		most int64
		want string
	}{{5, ""}, {6, ""}, {4, "a is larger than 0 MB, too large for a plan"}} {
		data, err := ReadAll("a", c.most, "plan")
		if (err == nil) != (c.want == "") || err == nil && string(data) != "12345" || err != nil && err.Error() != c.want {
			t.Errorf("at most %d: %q, %v", c.most, data, err)
		}
	}
	if _, err := ReadAll(".", 10, "plan"); err == nil || err.Error() != ". is a folder, not a plan" {
		t.Errorf("a folder: %v", err)
	}
}

// A file is hashed as it stood when it was opened first, and read whole all the same; one
// turn is had at a time, and a wait that is too long ends.
func TestHashesAndLocks(t *testing.T) {
	t.Chdir(t.TempDir())
	text := strings.Repeat("tide ", 50_000)
	write(t, "a", text)
	for _, asked := range []bool{false, true} {
		r := &Registry{}
		if asked {
			r.EnableHashing()
		}
		for round := range 2 {
			f, err := r.Open("a")
			if err != nil {
				t.Fatal(err)
			}
			data, err := io.ReadAll(f)
			f.Close()
			want := ""
			if asked {
				want = fmt.Sprintf("%x", sha256.Sum256([]byte(text)))
			}
			if err != nil || len(data) != len(text)+round || r.Sum("a") != want || r.Sum("b") != "" {
				t.Errorf("asked %v, round %d: %d bytes, %s, %v", asked, round, len(data), r.Sum("a"), err)
			}
			write(t, "a", text+"x")
		}
		write(t, "a", text)
		if _, err := r.Open("nothing"); !errors.Is(err, fs.ErrNotExist) {
			t.Errorf("a file that isn't there: %v", err)
		}
		if f, err := r.Open("."); err != nil || r.Sum(".") != "" {
			t.Errorf("a folder: %v", err)
		} else {
			f.Close()
		}
	}
	var count atomic.Int64
	turns := make(chan error)
	for range 8 {
		go func() {
			unlock, err := Lock("lock", LockWait)
			if err == nil {
				now := count.Load()
				runtime.Gosched()
				count.Store(now + 1)
				unlock()
			}
			turns <- err
		}()
	}
	for range 8 {
		if err := <-turns; err != nil {
			t.Error(err)
		}
	}
	if n := count.Load(); n != 8 {
		t.Errorf("%d turns of 8", n)
	}
	unlock, err := Lock("lock", 0)
	if err != nil {
		t.Fatal(err)
	}
	var busy *LockedError
	if _, err := Lock("lock", 0); !errors.As(err, &busy) || !strings.Contains(err.Error(), "lock is still locked by another program after 30 seconds") {
		t.Errorf("a turn that somebody has: %v", err)
	}
	unlock()
	if unlock, err = Lock("lock", 0); err != nil {
		t.Errorf("after it ended: %v", err)
	}
	unlock()
	if _, err := Lock("no/lock", 0); !errors.Is(err, fs.ErrNotExist) {
		t.Errorf("in no folder: %v", err)
	}
}

// What is in the place of an output is an earlier one only if it is a file; without a
// folder for temporary files, what to do is said.
func TestStage_oldOutputsStay(t *testing.T) {
	t.Chdir(t.TempDir())
	write(t, "a", "12345")
	for _, path := range []string{"a", ".", "none", os.DevNull} {
		f, err := OpenExisting(path)
		if file := path == "a"; file != (err == nil) || !file && !errors.Is(err, fs.ErrNotExist) {
			t.Errorf("%s: %v", path, err)
		}
		f.Close()
		for _, data := range []string{"12345", "12346", "1234", ""} {
			now := NewHeldSpool()
			if _, err := now.Write([]byte(data)); err != nil {
				t.Fatal(err)
			}
			if HasContent(path, now) != (path == "a" && data == "12345") {
				t.Errorf("%s is the same as %q, or isn't", path, data)
			}
		}
		if NotExist(path) != (path == "none") {
			t.Errorf("%s is missing, or isn't", path)
		}
	}
	t.Setenv(map[bool]string{true: "TMP", false: "TMPDIR"}[runtime.GOOS == "windows"], filepath.Join(t.TempDir(), "none"))
	s := NewOutputSpool(&bytes.Buffer{}, nil)
	_, err := s.Write(make([]byte, spoolMemory+1))
	if err == nil {
		err = s.Commit()
	}
	var room *TempDirError
	if s.Discard(); !errors.As(err, &room) || !strings.Contains(err.Error(), "set TMPDIR") && !strings.Contains(err.Error(), "set TMP ") {
		t.Errorf("no folder for temporary files: %v", err)
	}
}

// An interrupt takes out all that is half-written, of every kind, and lets nothing more be
// written. It ends a program, so another one is interrupted.
func TestCleanUp(t *testing.T) {
	if dir := os.Getenv("YOYAKU_TEST_INTERRUPT"); dir != "" {
		t.Chdir(dir)
		var stage Stage
		w, err := stage.Create("staged.csv")
		f, err2 := os.Create("direct.csv")
		spool := NewOutputSpool(f, nil)
		large := NewOutputSpool(io.Discard, nil)
		_, err3 := large.Write(make([]byte, spoolMemory+1))
		temp, err4 := TempDir()
		if err = errors.Join(err, err2, err3, err4); err != nil {
			t.Fatal(err)
		}
		fmt.Fprint(w, "half")
		fmt.Fprint(spool, "half")
		write(t, filepath.Join(temp, "x"), "half")
		CleanUp()
		go func() { // it may wait for good
			_ = stage.Commit()
			fmt.Fprint(spool, "more")
		}()
		time.Sleep(50 * time.Millisecond)
		return
	}
	dir := t.TempDir()
	write(t, filepath.Join(dir, "old.csv"), "old")
	if err := os.Mkdir(filepath.Join(dir, "tmp"), 0o755); err != nil {
		t.Fatal(err)
	}
	c := exec.Command(os.Args[0], "-test.run=^TestCleanUp$")
	c.Env = append(os.Environ(), "YOYAKU_TEST_INTERRUPT="+dir, "TMPDIR="+filepath.Join(dir, "tmp"))
	if out, err := c.CombinedOutput(); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	var left []string
	_ = filepath.WalkDir(dir, func(path string, e fs.DirEntry, err error) error {
		if !e.IsDir() {
			data, _ := os.ReadFile(path)
			left = append(left, filepath.Base(path)+"="+string(data))
		}
		return nil
	})
	if got := strings.Join(left, " "); got != "direct.csv= old.csv=old" && got != "old.csv=old" {
		t.Errorf("an interrupt leaves %s", got)
	}
}
