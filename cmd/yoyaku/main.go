// Command yoyaku turns rules about dates into schedules of dates.
package main

import (
	"os"
	"os/signal"
	"syscall"
	"time"

	"yoyaku/internal/cli"
)

func main() {
	signal.Ignore(syscall.SIGPIPE) // a closed pipe is an error to handle, not a death
	interrupted := make(chan os.Signal, 1)
	signal.Notify(interrupted, os.Interrupt)
	go func() {
		<-interrupted
		cli.Interrupted()
		os.Exit(130)
	}()
	app := &cli.App{In: os.Stdin, Out: os.Stdout, Err: os.Stderr, Now: time.Now(), Getenv: os.Getenv}
	os.Exit(app.Run(os.Args[1:]))
}
