// Package schedule says when something is run, in words of ours and of the systems that
// do it.
package schedule

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"dappermirror/internal/core/words"
)

// Schedule is when a task is run.
type Schedule struct {
	Every        time.Duration // 0 where it is at a time of day
	Hour, Minute int
	// Weekdays are the days of the week; none for every day. Day is that of the
	// month, 0 for every one.
	Weekdays []time.Weekday
	Day      int
	text     string
}

// Help says how a schedule is written.
const Help = `write it as "daily 02:30", "weekdays 06:00", "weekly mon 02:30", "monthly 1 02:30", "hourly" or "every 15m"`

// Parse reads a schedule.
func Parse(text string) (Schedule, error) {
	s := Schedule{text: text}
	f := strings.Fields(strings.ToLower(text))
	wrong := fmt.Errorf("the schedule %q is not understood; %s", text, Help)
	if len(f) == 0 {
		return s, wrong
	}
	kinds := map[string]int{"hourly": 0, "every": 1, "daily": 1, "weekdays": 1, "weekly": 2, "monthly": 2}
	n, known := kinds[f[0]]
	if !known {
		var list []string
		for k := range kinds {
			list = append(list, k)
		}
		return s, fmt.Errorf("the schedule %q is not understood%s; %s", text, words.Suggest(f[0], list), Help)
	}
	if len(f)-1 != n {
		return s, wrong
	}
	switch f[0] {
	case "hourly":
		s.Every = time.Hour
		return s, nil
	case "every":
		d, err := time.ParseDuration(f[1])
		minutes := int(d / time.Minute)
		if err != nil || d%time.Minute != 0 || minutes < 1 || minutes < 60 && 60%minutes != 0 || minutes >= 60 && (minutes%60 != 0 || 24%(minutes/60) != 0) {
			return s, fmt.Errorf("the schedule %q: timers know minutes that divide an hour, and hours that divide a day, as \"every 15m\" or \"every 6h\"", text)
		}
		if d < 24*time.Hour { // else it is once a day
			s.Every = d
		}
		return s, nil
	case "weekdays":
		s.Weekdays = []time.Weekday{time.Monday, time.Tuesday, time.Wednesday, time.Thursday, time.Friday}
	case "weekly":
		for d := time.Sunday; d <= time.Saturday; d++ {
			if name := strings.ToLower(d.String()); f[1] == name || f[1] == name[:3] {
				s.Weekdays = []time.Weekday{d}
			}
		}
		if s.Weekdays == nil {
			return s, wrong
		}
	case "monthly":
		d, err := strconv.Atoi(f[1])
		if err != nil || d < 1 || d > 28 {
			return s, fmt.Errorf("the schedule %q: the day is from 1 to 28, which every month has", text)
		}
		s.Day = d
	}
	at, err := time.Parse("15:04", f[len(f)-1])
	if err != nil {
		return s, wrong
	}
	s.Hour, s.Minute = at.Hour(), at.Minute()
	return s, nil
}

// String is the schedule as it was written.
func (s Schedule) String() string { return s.text }

// Cron is the schedule in the five fields of cron.
func (s Schedule) Cron() string {
	switch minutes := int(s.Every / time.Minute); {
	case minutes == 60:
		return "0 * * * *"
	case minutes > 60:
		return fmt.Sprintf("0 */%d * * *", minutes/60)
	case minutes > 0:
		return fmt.Sprintf("*/%d * * * *", minutes)
	}
	month, week := "*", "*"
	if s.Day > 0 {
		month = strconv.Itoa(s.Day)
	}
	if len(s.Weekdays) > 0 {
		week = strconv.Itoa(int(s.Weekdays[0]))
		if last := s.Weekdays[len(s.Weekdays)-1]; last != s.Weekdays[0] {
			week += "-" + strconv.Itoa(int(last))
		}
	}
	return fmt.Sprintf("%d %d %s * %s", s.Minute, s.Hour, month, week)
}

// OnCalendar is the schedule as systemd has it (systemd.time, CALENDAR EVENTS).
func (s Schedule) OnCalendar() string {
	switch minutes := int(s.Every / time.Minute); {
	case minutes >= 60:
		return fmt.Sprintf("*-*-* 00/%d:00:00", minutes/60)
	case minutes > 0:
		return fmt.Sprintf("*-*-* *:00/%d:00", minutes)
	}
	day, week := "*", ""
	if s.Day > 0 {
		day = fmt.Sprintf("%02d", s.Day)
	}
	if len(s.Weekdays) > 0 {
		week = s.Weekdays[0].String()[:3]
		if last := s.Weekdays[len(s.Weekdays)-1]; last != s.Weekdays[0] {
			week += ".." + last.String()[:3]
		}
		week += " "
	}
	return fmt.Sprintf("%s*-*-%s %02d:%02d:00", week, day, s.Hour, s.Minute)
}
