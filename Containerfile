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
EXPOSE 8620 2525
USER node
STOPSIGNAL SIGTERM
ENTRYPOINT ["node", "packages/cli/bin/verbalis.js"]
CMD ["serve", "--config", "/data/verbalis.yaml"]
