package schedule

import (
	"strings"
	"testing"
	"time"
)

func TestParse(t *testing.T) {
	for text, want := range map[string]string{ // in cron's words, and systemd's
		"daily 02:30":          "30 2 * * * | *-*-* 02:30:00",
		"  DAILY   2:05 ":      "5 2 * * * | *-*-* 02:05:00",
		"weekdays 06:00":       "0 6 * * 1-5 | Mon..Fri *-*-* 06:00:00",
		"weekly sun 23:59":     "59 23 * * 0 | Sun *-*-* 23:59:00",
		"weekly Thursday 0:00": "0 0 * * 4 | Thu *-*-* 00:00:00",
		"monthly 1 04:05":      "5 4 1 * * | *-*-01 04:05:00",
		"monthly 28 12:00":     "0 12 28 * * | *-*-28 12:00:00",
		"hourly":               "0 * * * * | *-*-* 00/1:00:00",
		"every 1m":             "*/1 * * * * | *-*-* *:00/1:00",
		"every 15m":            "*/15 * * * * | *-*-* *:00/15:00",
		"every 90m":            "!divide a day",
		"every 2h":             "0 */2 * * * | *-*-* 00/2:00:00",
		"every 12h0m":          "0 */12 * * * | *-*-* 00/12:00:00",
		"every 24h":            "0 0 * * * | *-*-* 00:00:00",
		"every 7m":             "!divide an hour", "every 5h": "!divide a day", "every 30s": "!divide an hour", "every -5m": "!divide an hour", "every 9999999h": "!divide a day", "every soon": "!divide an hour",
		"": "!is not understood", "dayly 02:30": "!meant daily?", "daily": "!is not understood", "daily 25:00": "!is not understood", "daily 02:30 x": "!is not understood", "weekly xyz 02:30": "!is not understood",
		"monthly 31 02:30": "!from 1 to 28", "monthly 0 02:30": "!from 1 to 28", "hourly 5": "!is not understood", "0 2 * * *": "!is not understood", "daily 02:30\n* * * * * rm": "!is not understood",
	} {
		s, err := Parse(text)
		if wrong, bad := strings.CutPrefix(want, "!"); bad {
			if err == nil || !strings.Contains(err.Error(), wrong) {
				t.Errorf("%q: %v, want %s", text, err, wrong)
			}
			continue
		}
		if got := s.Cron() + " | " + s.OnCalendar(); err != nil || got != want || s.String() != text {
			t.Errorf("%q: %s, %v, want %s", text, got, err, want)
		}
	}
}

// TestEveryInterval: whatever is taken, timers run it as often as it says.
func TestEveryInterval(t *testing.T) {
	taken := 0
	for m := 1; m <= 24*60; m++ {
		s, err := Parse("every " + (time.Duration(m) * time.Minute).String())
		if err != nil {
			continue
		}
		taken++
		times := 0 // a day, by cron's two fields
		minute, hour := strings.Fields(s.Cron())[0], strings.Fields(s.Cron())[1]
		for at := range 24 * 60 {
			if meets(minute, at%60) && meets(hour, at/60) {
				times++
			}
		}
		if times != 24*60/m {
			t.Errorf("every %d minutes is %d times a day", m, times)
		}
	}
	if taken < 15 {
		t.Errorf("%d intervals are taken", taken)
	}
}

// meets tells whether a number meets a field of cron.
func meets(field string, n int) bool {
	if step, ok := strings.CutPrefix(field, "*/"); ok {
		every := 0
		for _, c := range step {
			every = every*10 + int(c-'0')
		}
		return n%every == 0
	}
	return field == "*" || field == "0" && n == 0
}
