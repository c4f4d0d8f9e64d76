package ask

import (
	"bytes"
	"io"
	"os"

	"yoyaku/internal/tabular"
)

// Probe lets look read the table once beforehand, with nothing told and nothing written. Standard
// input is kept, so that it can be read again.
func (j *Job) Probe(look func(p *Job) error) error {
	if err := j.keepPipe(); err != nil {
		return err
	}
	if j.Args[0] == "-" {
		data, err := io.ReadAll(j.Stdin)
		if err != nil {
			return err
		}
		j.Stdin = bytes.NewReader(data)
		defer func() { j.Stdin = bytes.NewReader(data) }()
	}
	probe, place, muted := *j, *j.Workspace, true
	place.Warn, place.Note = func(string, ...any) {}, func(string, ...any) {}
	place.Progress = nil
	probe.Workspace, probe.opened = &place, nil
	probe.In.BadRows = "blank" // the reading that counts tells of them
	probe.Env.IsMuted, probe.Env.CalendarCells = &muted, nil
	defer probe.Close()
	return look(&probe)
}

// keepPipe makes standard input of a table that is a pipe with a name, which can be read but once.
func (j *Job) keepPipe() error {
	info, err := os.Stat(j.Args[0])
	if err != nil || info.Mode().IsRegular() || info.IsDir() { // or is told by the reading
		return nil
	}
	data, err := os.ReadFile(j.Args[0])
	j.Args = append([]string{"-"}, j.Args[1:]...)
	j.Stdin = bytes.NewReader(data)
	return err
}

// MayHoldHalves reports whether the table may hold dates with half a day, as far as its bytes
// alone tell.
func (j *Job) MayHoldHalves() (bool, error) {
	name := j.Args[0]
	if j.FindMade != nil {
		if _, ok, err := j.FindMade(name); ok || err != nil {
			return true, err
		}
	}
	if IsCalendarFile(name) || j.In.Encoding != "" {
		return true, nil
	}
	if name == "-" {
		data, err := io.ReadAll(j.Stdin)
		if err != nil {
			return true, err
		}
		j.Stdin = bytes.NewReader(data)
		return tabular.MayHoldHalves(bytes.NewReader(data), int64(len(data)))
	}
	f, err := os.Open(name)
	if err != nil {
		return false, nil // which the reading tells
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return true, err
	}
	return tabular.MayHoldHalves(f, info.Size())
}
