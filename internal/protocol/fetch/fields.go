package fetch

import (
	"net/url"
	"regexp"
)

// URLProblem says what is wrong with what was typed; empty where nothing is.
func URLProblem(value string) string {
	u, err := url.Parse(placeholder.ReplaceAllString(value, "1"))
	switch {
	case err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "":
		return "Must be an address such as https://{address}/health."
	case u.User != nil:
		return "A user and a password do not stand in it: choose a credential."
	}
	return ""
}

// placeholder stands for the address of the device, or for a parameter.
var placeholder = regexp.MustCompile(`\{[A-Za-z_][A-Za-z0-9_]*\}`)

// ProxyProblem says what is wrong with what was typed; empty where nothing is.
func ProxyProblem(value string) string {
	u, err := url.Parse(value)
	if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" || u.User != nil {
		return "Must be an address such as http://192.0.2.8:3128."
	}
	return ""
}

// PatternProblem says what is wrong with what was typed; empty where nothing is.
func PatternProblem(value string) string {
	if _, err := regexp.Compile(value); err != nil {
		return "Is no pattern: " + err.Error() + "."
	}
	return ""
}
