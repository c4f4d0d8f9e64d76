package query_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
)

func TestDerive(t *testing.T) {
	dir := answers(t, casesIn(t, "testdata/derive.cases"))
	side, _ := os.ReadFile(filepath.Join(dir, "side.csv"))
	if !strings.HasPrefix(string(side), "a,reason\nx,\"a: expected a date") {
		t.Errorf("rows put aside: %q", side)
	}
}
