package middleware

import (
	"encoding/json"
	"net/http"
)

// JSON answers a script of ours.
func JSON(w http.ResponseWriter, status int, answer any) error {
	text, err := json.Marshal(answer)
	if err != nil {
		return err
	}
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	_, err = w.Write(text)
	return err
}
