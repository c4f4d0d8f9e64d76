package schedule

import (
	"fmt"
	"strings"
)

// Snapshot is a schedule as it stands in a file: who is when.
type Snapshot map[string]string

// Changes counts how a schedule differs from an earlier one, dates matched by
// who they are.
type Changes struct{ Moved, Added, Gone int }

// Compare counts the changes from one snapshot to another.
func Compare(was, now Snapshot) (c Changes) {
	for id, at := range now {
		if before, ok := was[id]; !ok {
			c.Added++
		} else if before != at {
			c.Moved++
		}
	}
	for id := range was {
		if _, ok := now[id]; !ok {
			c.Gone++
		}
	}
	return c
}

// String lists the changes in words; "same dates, other details" where there
// are none.
func (c Changes) String() string {
	var parts []string
	for _, p := range []struct {
		n    int
		what string
	}{{c.Moved, "moved"}, {c.Added, "added"}, {c.Gone, "gone"}} {
		if p.n > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", p.n, p.what))
		}
	}
	if parts == nil {
		return "same dates, other details"
	}
	return strings.Join(parts, ", ")
}
