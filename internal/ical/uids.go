package ical

import (
	"bufio"
	"io"
	"strings"
)

// Starts reads which UID starts when out of an iCalendar stream that this
// package wrote: DTSTART as it stands, by UID.
func Starts(r io.Reader) (map[string]string, error) {
	starts := map[string]string{}
	var line, uid, start string
	var cancelled bool
	take := func() {
		name, value, _ := strings.Cut(line, ":")
		switch {
		case line == "BEGIN:VEVENT":
			uid, start, cancelled = "", "", false
		case line == "END:VEVENT":
			if starts[uid] = start; cancelled {
				delete(starts, uid)
			}
		case line == "STATUS:CANCELLED":
			cancelled = true
		case name == "UID":
			uid = value
		case strings.HasPrefix(name, "DTSTART"):
			start = value
		}
	}
	in := bufio.NewScanner(r)
	in.Buffer(nil, 1<<20)
	for in.Scan() {
		text := strings.TrimSuffix(in.Text(), "\r")
		if strings.HasPrefix(text, " ") {
			line += text[1:]
			continue
		}
		take()
		line = text
	}
	take()
	return starts, in.Err()
}
