# A container of the service: build it in a checkout with `podman build -t verbalis .` (or docker).
FROM docker.io/library/node:20-bookworm AS build
WORKDIR /verbalis
COPY . .
RUN npm ci --no-audit --no-fund && npm run build && npm prune --omit=dev

FROM docker.io/library/node:20-bookworm-slim
ENV NODE_ENV=production
WORKDIR /verbalis
COPY --from=build /verbalis/package.json ./
COPY --from=build /verbalis/node_modules node_modules
COPY --from=build /verbalis/packages packages
# Settings and the database live outside: -v verbalis:/data with verbalis.yaml in it. A volume that is new belongs to the user of the service.
RUN mkdir /data && chown node:node /data
VOLUME /data
# API and console; returned mail.
EXPOSE 8620 8625
USER node
STOPSIGNAL SIGTERM
HEALTHCHECK --start-period=20s CMD ["node", "-e", "fetch('http://127.0.0.1:8620/health/ready').then((r) => process.exit(r.ok ? 0 : 1), () => process.exit(1))"]
ENTRYPOINT ["node", "packages/cli/bin/verbalis.js"]
CMD ["serve", "--config", "/data/verbalis.yaml"]
