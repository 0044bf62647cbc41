package app

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/testkit"
)

// A channel connects to nothing that is not for us, whatever its settings say.
func TestChannelsStayAwayFromWhatIsNotForUs(t *testing.T) {
	r := start(t)
	for _, c := range []domain.Channel{
		{Name: "desk", Kind: "desk", Settings: map[string]string{"url": "http://169.254.169.254/latest"}},
		{Name: "mail", Kind: "mail", Settings: map[string]string{"host": "169.254.169.254", "port": "25", "from": "owl@kittiwake.example"}},
	} {
		saved, err := r.Store.Channels.Save(t.Context(), c, nil)
		require.NoError(t, err)
		_, err = r.Respond.TryChannel(t.Context(), testkit.Anyone, saved.ID, "night@kittiwake.example")
		assert.ErrorContains(t, err, "169.254.169.254 is link-local", c.Kind)
	}
}
