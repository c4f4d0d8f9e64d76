package civil

// ParseClock reads a time of day, 00:00 to 23:59, of two digits each, as minutes after
// midnight; ok is false for anything else.
func ParseClock(text string) (minutes int, ok bool) {
	if len(text) != 5 || text[2] != ':' {
		return 0, false
	}
	for _, i := range []int{0, 1, 3, 4} {
		if text[i] < '0' || text[i] > '9' {
			return 0, false
		}
	}
	h, m := int(text[0]-'0')*10+int(text[1]-'0'), int(text[3]-'0')*10+int(text[4]-'0')
	return h*60 + m, h < 24 && m < 60
}

// AppendClock appends minutes after midnight as 16:30.
func AppendClock(b []byte, minutes int) []byte {
	return append(b, digitPairs[2*(minutes/60)], digitPairs[2*(minutes/60)+1], ':', digitPairs[2*(minutes%60)], digitPairs[2*(minutes%60)+1])
}
