//go:build !windows

package main

import (
	"fmt"
	"os"
	"os/exec"
	"regexp"
	"runtime"
	"runtime/debug"
	"slices"
	"strings"
	"syscall"
	"time"
)

// bench times works.
type bench struct {
	program, self          string
	pairs                  int
	only                   *regexp.Regexp
	check                  bool
	failed, memoryExceeded int // ratios, and peaks of memory
}

// task is something to be timed beside its measure.
type task struct {
	name string
	// args are those of the program, or do is work inside this one.
	args []string
	do   func()
	// baseline is what this program is, as the measure; or of the work inside it.
	baseline     []string
	baselineFunc func()
	// budget is in times of the measure, and memory in MB; 0 for none.
	budget float64
	memory int64
	dir    string // in which it runs
	out    string // what it writes, and the measure too
}

// tries are how often a work is timed again that is too slow for a check.
const tries = 5

// cost is what a run took: seconds, and its peak memory in KB.
type cost struct {
	clock, cpu float64
	memory     int64
}

// group times works and prints them.
func (b *bench) group(title string, works []task) {
	works = slices.DeleteFunc(works, func(w task) bool { return !b.only.MatchString(w.name) })
	if len(works) == 0 {
		return
	}
	fmt.Printf("\n%s\n", title)
	fmt.Printf("%-32s %-16s %-16s %7s %9s %13s %8s\n", "", "clock, in times", "processor time", "budget", "clock",
		"memory", "writes")
	fmt.Printf("%-32s %-16s %s\n", "", " min  mid  max", " min  mid  max")
	for _, w := range works {
		b.time(w)
	}
}

// time runs a work and its measure in turn, and prints the ratios.
func (b *bench) time(w task) {
	var clock, cpu, seconds []float64
	var memory int64
	size := int64(0)
	for try := 0; ; try++ {
		for range b.pairs {
			bare, it := b.runOnce(w, true), b.runOnce(w, false)
			clock, cpu, seconds = append(clock, it.clock/bare.clock), append(cpu, it.cpu/max(bare.cpu, 1e-9)),
				append(seconds, it.clock)
			memory = max(memory, it.memory)
			if w.out != "" {
				info, err := os.Stat(w.out)
				must(err)
				size = info.Size()
			}
		}
		slices.Sort(clock)
		place := len(clock) / 2
		if try > 0 { // what else the machine does makes ratios worse, never better
			place = len(clock) / 4
		}
		if !b.check || w.budget == 0 || clock[place] <= 1.5*w.budget {
			if w.memory > 0 && memory>>10 > w.memory {
				b.memoryExceeded++
			}
			break
		}
		if try == tries-1 {
			b.failed++
			break
		}
		time.Sleep(time.Duration(try+1) * 3 * time.Second)
	}
	budget, peak, writes := "", "", ""
	if w.budget > 0 {
		budget = fmt.Sprintf("%.2f", w.budget)
	}
	if memory > 0 {
		peak = fmt.Sprintf("%d MB", memory>>10)
		if w.memory > 0 {
			peak = fmt.Sprintf("%d of %d MB", memory>>10, w.memory)
		}
	}
	if size > 0 {
		writes = fmt.Sprintf("%d MB", size>>20)
	}
	slices.Sort(seconds)
	fmt.Printf("%-32s %-16s %-16s %7s %6.0f ms %13s %8s\n", w.name, spread(clock), spread(cpu), budget,
		1000*seconds[len(seconds)/2], peak, writes)
}

// runOnce runs a work, or its measure.
func (b *bench) runOnce(w task, measure bool) cost {
	switch {
	case w.do != nil && measure:
		return measureHere(w.baselineFunc)
	case w.do != nil:
		return measureHere(w.do)
	case measure:
		return b.command("", append([]string{b.self, "-base"}, w.baseline...))
	case strings.HasSuffix(w.args[0], ".py"):
		return b.command(w.dir, append([]string{"python3"}, w.args...))
	}
	return b.command(w.dir, append([]string{b.program}, w.args...))
}

// command runs a command; what it says is shown where it fails.
func (b *bench) command(dir string, args []string) (c cost) {
	debug.FreeOSMemory() // what this process holds would count as the peak of the command
	cmd := exec.Command(args[0], args[1:]...)
	cmd.Dir = dir
	start := time.Now()
	if said, err := cmd.CombinedOutput(); err != nil {
		must(fmt.Errorf("%s: %w\n%s", strings.Join(args, " "), err, said))
	}
	c.clock = time.Since(start).Seconds()
	c.cpu = (cmd.ProcessState.UserTime() + cmd.ProcessState.SystemTime()).Seconds()
	if u, ok := cmd.ProcessState.SysUsage().(*syscall.Rusage); ok {
		c.memory = u.Maxrss
	}
	return c
}

// measureHere does something here.
func measureHere(do func()) (c cost) {
	used := func() float64 {
		var u syscall.Rusage
		must(syscall.Getrusage(syscall.RUSAGE_SELF, &u))
		return time.Duration(u.Utime.Nano() + u.Stime.Nano()).Seconds()
	}
	runtime.GC()
	before, start := used(), time.Now()
	do()
	return cost{clock: time.Since(start).Seconds(), cpu: used() - before}
}

// spread is the least, the middle and the greatest of a sorted list.
func spread(list []float64) string {
	slices.Sort(list)
	return fmt.Sprintf("%.2f %.2f %.2f", list[0], list[len(list)/2], list[len(list)-1])
}

// machineText says what this runs on.
func machineText() string {
	name := "a processor of no name"
	if data, err := os.ReadFile("/proc/cpuinfo"); err == nil {
		if _, rest, ok := strings.Cut(string(data), "model name\t: "); ok {
			name, _, _ = strings.Cut(rest, "\n")
		}
	}
	return fmt.Sprintf("%s, %d of it, %s/%s, %s", name, runtime.GOMAXPROCS(0), runtime.GOOS, runtime.GOARCH,
		runtime.Version())
}
