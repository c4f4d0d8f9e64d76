package cli

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"strings"

	"yoyaku/internal/ical"
	"yoyaku/internal/tabular"
)

// changes tells how a new output differs from the file that stands there:
// dates matched by who they are.
func changes(path, format string, data []byte) string {
	now, err := identified(path, format, bytes.NewReader(data))
	if err != nil {
		return "made"
	}
	f, err := os.Open(path)
	if err != nil {
		return fmt.Sprintf("new, %s", dated(len(now)))
	}
	defer f.Close()
	if sameBytes(path, data) {
		return fmt.Sprintf("unchanged, %s", dated(len(now)))
	}
	old, err := identified(path, format, f)
	if err != nil {
		return fmt.Sprintf("replaced, %s", dated(len(now)))
	}
	moved, added, gone := 0, 0, 0
	for id, at := range now {
		if was, ok := old[id]; !ok {
			added++
		} else if was != at {
			moved++
		}
	}
	for id := range old {
		if _, ok := now[id]; !ok {
			gone++
		}
	}
	var parts []string
	for _, p := range []struct {
		n    int
		what string
	}{{moved, "moved"}, {added, "added"}, {gone, "gone"}} {
		if p.n > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", p.n, p.what))
		}
	}
	if len(parts) == 0 {
		parts = []string{"same dates, other details"}
	}
	return fmt.Sprintf("changed (%s), %s", strings.Join(parts, ", "), dated(len(now)))
}

// replaced tells what becomes of an output whose rows have no identity.
func replaced(path string, data []byte) string {
	if _, err := os.Stat(path); err != nil {
		return "new"
	}
	if sameBytes(path, data) {
		return "unchanged"
	}
	return "changed"
}

func dated(n int) string {
	if n == 1 {
		return "1 date"
	}
	return fmt.Sprintf("%d dates", n)
}

// identified reads who is when out of an output.
func identified(path, format string, r io.Reader) (map[string]string, error) {
	switch format {
	case "ics":
		return ical.Starts(r)
	case "json":
		var list []map[string]any
		if err := json.NewDecoder(r).Decode(&list); err != nil {
			return nil, err
		}
		who := map[string]string{}
		for _, row := range list {
			who[fmt.Sprint(row["series"], row["what"], row["id"])] = fmt.Sprint(row)
		}
		return who, nil
	}
	who := map[string]string{}
	var head []string
	for rec, err := range tabular.ReadCSV(path, r) {
		if err != nil {
			return nil, err
		}
		if head == nil {
			head = append(head, rec.Fields...)
			continue
		}
		var id, at strings.Builder
		for i, h := range head {
			switch h {
			case "id", "series", "what":
				id.WriteString(rec.Fields[i] + "\x00")
			case "reason", "nominal":
			default:
				at.WriteString(rec.Fields[i] + "\x00")
			}
		}
		who[id.String()] = at.String()
	}
	return who, nil
}
