// Command yoyaku turns rules about dates into schedules of dates.
package main

import (
	"os"
	"os/signal"
	"syscall"
	"time"

	"yoyaku/internal/cli"
	"yoyaku/internal/files"
)

func main() {
	signal.Ignore(syscall.SIGPIPE) // a closed pipe is an error to handle, not a death
	interrupted := make(chan os.Signal, 1)
	signal.Notify(interrupted, os.Interrupt, syscall.SIGTERM, syscall.SIGHUP)
	app := &cli.App{In: os.Stdin, Out: os.Stdout, Err: os.Stderr, Now: time.Now(), Getenv: os.Getenv}
	go func() {
		<-interrupted
		if app.Interrupt() {
			<-interrupted // a second time
		}
		files.CleanUp()
		os.Exit(130)
	}()
	os.Exit(app.Run(os.Args[1:]))
}
