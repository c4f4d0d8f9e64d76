//go:build race

package cli_test

import "os"

// The program looks for races, too, where its tests do.
func init() {
	build = append(build, "-race")
	os.Setenv("GORACE", "atexit_sleep_ms=0")
}
