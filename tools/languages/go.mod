module languages

go 1.26.0

require (
	github.com/go-playground/locales v0.14.2
	golang.org/x/text v0.3.8
)
