/** Who wants no more copies of a burst, and copies that came back. */
export const name = '010-letters';

export const up = `
CREATE TABLE unsubscribed (
  burst_name text NOT NULL REFERENCES bursts,
  address text NOT NULL,
  at timestamptz NOT NULL,
  PRIMARY KEY (burst_name, address)
);
ALTER TABLE deliveries ADD bounced_at timestamptz;
ALTER TABLE deliveries ADD bounce text;
`;
